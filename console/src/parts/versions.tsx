import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { call, type Difference, type Script, type Version } from '../api'
import { when } from '../words'
import { Button, Empty, Loading, Trouble } from './states'

/** Versions lists what was published and tells each apart from what is live. */
export function Versions({ script, may }: { script: Script; may: boolean }) {
  const all = useQuery({
    queryKey: ['versions', script.id],
    queryFn: () => call<Version[]>('GET', `/workflows/${script.id}/versions`),
  })
  const [chosen, choose] = useState<string>()
  const client = useQueryClient()
  const revert = useMutation({
    mutationFn: (version: number) => call('POST', `/workflows/${script.id}/revert`, { version }),
    onSettled: () => void client.invalidateQueries(),
  })
  if (all.isPending) return <Loading />
  if (all.error) return <Trouble error={all.error} />
  if (all.data.length === 0)
    return <Empty title="Never live">Make the draft live, and each version is kept here.</Empty>
  const rows = [
    ...(script.drafted ? [{ version: 0, note: 'what is written now', by: '', at: '', live: false }] : []),
    ...all.data,
  ]
  return (
    <div className="px-4 py-4 md:px-6">
      <ol className="divide-y divide-line">
        {rows.map((v) => (
          <li key={v.version} className="py-2.5">
            <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
              <span className="w-24 font-semibold">{v.version === 0 ? 'Draft' : `Version ${v.version}`}</span>
              {v.live && <span className="text-lichen">live</span>}
              <span className="min-w-0 flex-1">{v.note || <span className="text-quiet">no note</span>}</span>
              <span className="text-[0.87rem] text-quiet">{v.at && `${v.by}, ${when(v.at)}`}</span>
              {!v.live && script.version > 0 && may && (
                <Button
                  onClick={() => choose(chosen === String(v.version) ? undefined : String(v.version))}
                  aria-expanded={chosen === String(v.version)}
                >
                  What differs
                </Button>
              )}
              {!v.live && v.version > 0 && may && (
                <Button disabled={revert.isPending} onClick={() => revert.mutate(v.version)}>
                  Make it live again
                </Button>
              )}
            </div>
            {chosen === String(v.version) && (
              <Differs id={script.id} to={v.version === 0 ? 'draft' : String(v.version)} />
            )}
          </li>
        ))}
      </ol>
      {revert.error && (
        <p role="alert" className="text-madder">
          {revert.error.message}
        </p>
      )}
    </div>
  )
}

/** Differs tells what a version changes of what is live, in sentences and in files. */
export function Differs({ id, to }: { id: string; to: string }) {
  const d = useQuery({
    queryKey: ['diff', id, to],
    queryFn: () => call<Difference>('GET', `/workflows/${id}/diff?to=${to}`),
  })
  if (d.isPending) return <Loading />
  if (d.error) return <Trouble error={d.error} />
  const look: Record<string, string> = { same: 'text-quiet', added: 'text-lichen', removed: 'text-madder line-through' }
  const mark: Record<string, string> = { same: ' ', added: '+', removed: '−' }
  return (
    <div className="mt-2 rounded-lg border border-line bg-raised p-3 text-[0.93rem]">
      <p className="mb-1 text-[0.87rem] text-quiet">
        From version {d.data.from}, which is live, to {to === 'draft' ? 'the draft' : `version ${to}`}
      </p>
      {d.data.lines.map((l, i) => (
        <p key={i} className={`flex gap-2 whitespace-pre-wrap ${look[l.how]}`}>
          <span className="w-3 shrink-0">{mark[l.how]}</span>
          {l.line}
        </p>
      ))}
      {d.data.files.map((f) => (
        <pre key={f.path} tabIndex={0} className="mt-3 overflow-x-auto font-mono text-[0.84rem]">
          {f.diff}
        </pre>
      ))}
    </div>
  )
}
