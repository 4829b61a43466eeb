import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { call, type Delivery as Signed, type Sample, type Script } from '../../api'
import { Copy } from '../../parts/copy'
import { Button } from '../../parts/states'
import { useBuild, useDraftState } from '../use-draft'
import { hooksIn } from './hooks'
import type { Source } from './use-trying'

interface Shown {
  script: Script
  source?: Source
  samples: Sample[]
}

/** Delivery sends what a try begins with as its sender would: signed, to the address of the webhook. */
export function Delivery({ script, source, samples }: Shown) {
  const { draft } = useBuild()
  const { tree } = useDraftState(draft)
  const [live, setLive] = useState(false)
  const signal =
    source?.of === 'sample'
      ? samples.find((s) => s.name === source.name)?.signal
      : source?.of === 'written'
        ? source.signal
        : undefined
  const hook = hookOf(tree, signal?.trigger)
  const sign = useMutation({
    mutationFn: async () => {
      await draft.save()
      const body = { trigger: hook, body: signal?.body ?? null, live }
      return call<Signed>('POST', `/workflows/${encodeURIComponent(script.id)}/delivery`, body)
    },
  })
  const send = useMutation({ mutationFn: () => sign.mutateAsync().then(deliver) })
  if (!hook || !signal) return null
  return (
    <details className="text-[0.93rem]">
      <summary className="cursor-pointer text-indigo">Send it as a signed delivery</summary>
      <div className="mt-1.5 space-y-2 rounded-md border border-line p-2.5">
        <select
          aria-label="Where it is sent"
          value={live ? 'live' : 'draft'}
          onChange={(e) => setLive(e.target.value === 'live')}
          className="w-full rounded-md border border-line bg-paper px-2 py-1"
        >
          <option value="draft">to the draft: what changes anything is held back</option>
          {script.version > 0 && <option value="live">to what is live: it counts</option>}
        </select>
        <p className="flex flex-wrap gap-2">
          <Button disabled={send.isPending || !!sign.data?.lacks} onClick={() => send.mutate()}>
            Send it
          </Button>
          <Button
            disabled={sign.isPending}
            onClick={() => {
              send.reset()
              sign.mutate()
            }}
          >
            Show it for curl
          </Button>
        </p>
        {sign.data && !send.data && <Line signed={sign.data} />}
        {send.data && (
          <p role="status" className="wrap-anywhere">
            <b>{send.data.status}</b> {send.data.words}{' '}
            {send.data.run && (
              <Link to={`/runs/${send.data.run}`} className="text-indigo underline underline-offset-2">
                Open the run
              </Link>
            )}
          </p>
        )}
        {(sign.error ?? send.error) && (
          <p role="alert" className="text-madder">
            {(sign.error ?? send.error)?.message}
          </p>
        )}
      </div>
    </details>
  )
}

/** Line is a delivery as a line for a shell. */
function Line({ signed }: { signed: Signed }) {
  return (
    <div>
      <pre
        tabIndex={0}
        aria-label="A line for a shell"
        className="max-h-40 overflow-auto rounded border border-line bg-paper p-2 font-mono text-[0.8rem] whitespace-pre-wrap wrap-anywhere"
      >
        {signed.curl}
      </pre>
      <p className="mt-1 flex items-center justify-between gap-2 text-[0.84rem] text-quiet">
        <span>{signed.lacks || (signed.timed ? 'It is good for five minutes: its time is signed.' : '')}</span>
        <Copy text={signed.curl} what="the line" />
      </p>
    </div>
  )
}

/** hookOf is the id of the webhook something is for, or of the first there is. */
function hookOf(tree: unknown, trigger?: string): string | undefined {
  const hooks = hooksIn(tree)
  return (trigger ? hooks.find((h) => h.id === trigger) : hooks[0])?.id
}

/** deliver sends what was signed, and says what came back. */
async function deliver(d: Signed): Promise<{ status: number; words: string; run?: string }> {
  const answer = await fetch(new URL(d.address).pathname, { method: 'POST', headers: d.headers, body: d.body })
  const run = answer.headers.get('Location')?.split('/').pop()
  return { status: answer.status, words: (await answer.text()).slice(0, 600), run }
}
