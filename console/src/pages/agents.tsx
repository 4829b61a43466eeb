import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { call, mayBuild, mayReview, type AgentListed, type Session } from '../api'
import Definition from '../making/definition'
import { Head } from '../parts/frame'
import { Button, Chip, Empty, Loading, Trouble } from '../parts/states'
import { count, plain, roughly } from '../words'

/** Agents lists the agents, with what they think with and who uses them. */
export default function Agents({ session }: { session: Session }) {
  const all = useQuery({ queryKey: ['agents'], queryFn: () => call<AgentListed[]>('GET', '/agents') })
  if (all.isPending) return <Loading />
  if (all.error) return <Trouble error={all.error} again={() => void all.refetch()} />
  const may = mayBuild(session)
  if (all.data.length === 0)
    return (
      <>
        <Head title="Agents" />
        <Empty title="No agents yet">
          An agent is a model with a purpose, tools it may use, and limits.
          {may && (
            <span className="mt-3 block">
              <NewAgent />
            </span>
          )}
        </Empty>
      </>
    )
  return (
    <>
      <Head
        title="Agents"
        beside={
          <>
            <Chip>{count(all.data.length, 'agent')}</Chip>
            {mayReview(session) && (
              <Link to="/facts" className="text-indigo underline underline-offset-2">
                Facts they know
              </Link>
            )}
          </>
        }
        right={may && <NewAgent />}
      />
      <ul className="divide-y divide-line">
        {all.data.map((a) => (
          <li key={a.id}>
            <Link
              to={`/agents/${a.id}`}
              className="grid gap-x-6 gap-y-1 px-4 py-3.5 no-underline hover:bg-raised md:grid-cols-[minmax(0,1fr)_14rem_12rem] md:px-6"
            >
              <span className="min-w-0">
                <span className="font-semibold">{a.title}</span>
                {a.problems > 0 && <span className="ml-3 text-madder">{count(a.problems, 'thing')} to put right</span>}
                <span className="line-clamp-2 block text-quiet">{a.purpose}</span>
              </span>
              <span className="text-[0.9rem]">
                {a.model.name} <span className="text-quiet">of {a.model.title}</span>
                <span className="block text-quiet">{count(a.tools, 'tool')}</span>
              </span>
              <span className="text-[0.9rem] text-quiet">
                {a.used_by.length ? a.used_by.map(plain).join(', ') : 'used by no workflow'}
                {a.usual && <span className="block">a task costs {roughly(a.usual.cost_micros)}</span>}
              </span>
            </Link>
          </li>
        ))}
      </ul>
    </>
  )
}

function NewAgent() {
  const [making, make] = useState(false)
  const go = useNavigate()
  const made = (id: string) => {
    make(false)
    void go(`/agents/${id}`)
  }
  return (
    <>
      <Button strong onClick={() => make(true)}>
        New agent
      </Button>
      {making && <Definition kind="agent" title="New agent" onMade={made} onClose={() => make(false)} />}
    </>
  )
}
