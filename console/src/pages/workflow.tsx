import { useQuery } from '@tanstack/react-query'
import { Tabs } from 'radix-ui'
import { useParams } from 'react-router'
import { call, mayBuild, type Detail, type Run, type Script, type Session } from '../api'
import { Chat } from '../parts/chat'
import { Head } from '../parts/frame'
import { LiveState } from '../parts/live-state'
import { FileText, ScriptView } from '../parts/script-view'
import { Loading, Trouble } from '../parts/states'
import { Versions } from '../parts/versions'
import { ToAll, Ways } from '../parts/ways'
import { later } from '../parts/later'

const Building = later(() => import('../script/building').then((m) => m.default))

/** Workflow is a script: builders build on it, others read it. */
export default function Workflow({ session }: { session: Session }) {
  const { id = '' } = useParams()
  const script = useQuery({ queryKey: ['workflow', id], queryFn: () => call<Script>('GET', `/workflows/${id}`) })
  const last = useQuery({
    queryKey: ['runs', 'last', id],
    queryFn: () => call<{ runs: Run[] }>('GET', `/runs?workflow=${id}&limit=1`),
  })
  const newest = last.data?.runs[0]?.id
  const detail = useQuery({
    queryKey: ['run', newest],
    queryFn: () => call<Detail>('GET', `/runs/${newest}`),
    enabled: !!newest,
  })
  if (script.isPending) return <Loading />
  if (script.error) return <Trouble error={script.error} again={() => void script.refetch()} />
  const may = mayBuild(session)
  if (!may) return <Reading script={script.data} run={detail.data} reader={session.person.role === 'reader'} />
  return <Building key={id} script={script.data} run={detail.data} person={session.person.email} />
}

/** Reading shows a script to those who do not build. */
function Reading({ script: s, run, reader }: { script: Script; run?: Detail; reader: boolean }) {
  return (
    <div className="flex min-h-full flex-col xl:h-full">
      <Tabs.Root defaultValue="script" className="flex flex-1 flex-col xl:min-h-0">
        <Head title={s.title} above={<ToAll />} beside={<LiveState of={s} />}>
          <p className="mt-0.5 text-quiet">{s.purpose}</p>
          <Ways of={['script', 'file', 'versions']} />
        </Head>
        <div className={`flex flex-1 flex-col xl:min-h-0 ${s.chat ? 'xl:flex-row' : ''}`}>
          <div className="min-w-0 flex-1 overflow-x-hidden xl:overflow-y-auto">
            <Tabs.Content value="script" className="outline-none">
              <ScriptView script={s} run={run} />
            </Tabs.Content>
            <Tabs.Content value="file" className="outline-none">
              <FileText script={s} />
            </Tabs.Content>
            <Tabs.Content value="versions" className="outline-none">
              <Versions script={s} may={false} />
            </Tabs.Content>
          </div>
          {s.chat && (
            <div className="flex h-120 shrink-0 flex-col border-line max-xl:border-t xl:h-auto xl:w-96 xl:border-l">
              <Chat script={s} may={!reader} />
            </div>
          )}
        </div>
      </Tabs.Root>
    </div>
  )
}
