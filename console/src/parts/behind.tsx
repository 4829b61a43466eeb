import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { call, type Detail } from '../api'
import { took } from '../words'
import { Badge, Loading, Trouble } from './states'
import { later } from './later'

const AgentTurns = later(() => import('./turns').then((m) => m.AgentTurns))

/** Behind opens what an answer came of: the steps of its run, each agent's turns to every message and call. */
export function Behind({ run }: { run: string }) {
  const [open, setOpen] = useState(false)
  return (
    <details className="w-full text-[0.87rem]" onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="cursor-pointer text-quiet">How it came about</summary>
      {open && <Steps id={run} />}
    </details>
  )
}

function Steps({ id }: { id: string }) {
  const run = useQuery({
    queryKey: ['run', id],
    queryFn: () => call<Detail>('GET', `/runs/${id}`),
    refetchInterval: (q) => (q.state.data?.ended ? false : 1000),
  })
  if (run.isPending) return <Loading />
  if (run.error) return <Trouble error={run.error} />
  const done = run.data.steps.filter((s) => s.status && s.kind !== 'trigger')
  return (
    <ol className="mt-1 space-y-2 border-l-2 border-line pl-3">
      {done.map((s) => (
        <li key={s.path}>
          <p className="flex flex-wrap items-center gap-x-2">
            <span className="font-semibold">{s.parts.map((p) => p.text).join('')}</span>
            <Badge status={s.status!} />
            <span className="text-quiet">{took(s.began, s.ended)}</span>
          </p>
          {s.error && <p className="text-madder">{s.error}</p>}
          {s.agent && <AgentTurns agent={s.agent} reviews={run.data.reviews} />}
        </li>
      ))}
      <li>
        <Link to={`/runs/${id}`} className="text-indigo underline underline-offset-2">
          Open the run
        </Link>
      </li>
    </ol>
  )
}
