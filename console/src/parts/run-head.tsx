import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { call, type Detail } from '../api'
import { ago, audience, count, money, took, when } from '../words'
import { FollowUpLine } from './follow-up'
import { Head } from './frame'
import { Badge, Button, Chip } from './states'

/** pageOf is the page of a workflow, or of the agent whose task a run is. */
const pageOf = (workflow: string) => (workflow.startsWith('agents/') ? `/${workflow}` : `/workflows/${workflow}`)

/** RunHead says what a run was about and how it stands. */
export function RunHead({ run: d, may, reviews }: { run: Detail; may: boolean; reviews: boolean }) {
  return (
    <Head
      title={d.about ? `“${d.about}”` : d.title}
      above={
        <>
          <Link to="/runs" className="no-underline hover:underline">
            Runs
          </Link>{' '}
          /{' '}
          <Link to={pageOf(d.workflow)} className="no-underline hover:underline">
            {d.title}
          </Link>
        </>
      }
      beside={
        <span className="text-quiet">
          {d.signal.from?.name ? `${d.signal.from.name}, ` : ''}
          {when(d.accepted)}
        </span>
      }
    >
      <Chips run={d} />
      {!d.ended && may && <StopIt run={d} />}
      {d.because && (
        <p className={`mt-2 max-w-3xl ${d.status === 'failed' ? 'text-madder' : 'text-quiet'}`}>{d.because}</p>
      )}
      {d.follow_ups && (
        <section className="mt-2 max-w-3xl text-[0.93rem]">
          <h2 className="font-semibold">Follow-ups</h2>
          <ul>
            {d.follow_ups.map((f) => (
              <li key={f.id}>
                <FollowUpLine of={f} may={reviews} />
              </li>
            ))}
          </ul>
        </section>
      )}
    </Head>
  )
}

function Chips({ run: d }: { run: Detail }) {
  const waited = d.reviews.find((r) => !r.choice)
  return (
    <div className="mt-1.5 flex flex-wrap gap-2">
      <Chip>
        <Badge
          status={d.status}
          word={
            d.ended
              ? `${d.status} in ${took(d.accepted, d.ended)}`
              : d.status === 'waiting' && waited
                ? `waiting for ${audience(waited.ask)}, ${ago(waited.asked)} so far`
                : undefined
          }
        />
      </Chip>
      <Chip>
        {count(d.input_tokens + d.output_tokens, 'token')} · {money(d.cost_micros)}
      </Chip>
      <Chip>
        <span className="font-mono text-[0.84rem]">{d.id}</span>
      </Chip>
      {d.wake && !d.ended && <Chip>goes on by itself {when(d.wake)}</Chip>}
      {d.labels.map((l) => (
        <Chip key={l}>
          <span className="text-quiet">label&nbsp;</span>
          {l}
        </Chip>
      ))}
      {d.draft && (
        <Chip>
          a draft{d.in_place?.map((p) => `, with ${p.used} in place of ${p.of}`)}
          {!d.in_place?.length && ', with live connections'}
        </Chip>
      )}
      {d.origin && (
        <Chip>
          <Origin origin={d.origin} step={d.step} />
        </Chip>
      )}
    </div>
  )
}

/** Origin says which run this one came from. */
function Origin({ origin, step }: { origin: { kind: string; run?: string }; step?: string }) {
  const { kind, run: id } = origin
  const tried = step ? 'one step tried alone' : 'a draft, tried'
  const words: Record<string, string> = { call: 'called by', again: 'repeats', try: tried }
  return (
    <>
      {words[kind]}
      {id && (
        <>
          &nbsp;
          <Link to={`/runs/${id}`} className="font-mono text-[0.84rem] text-indigo underline underline-offset-2">
            {id}
          </Link>
        </>
      )}
    </>
  )
}

/** StopIt ends a run before it is done, asked twice. */
function StopIt({ run }: { run: Detail }) {
  const client = useQueryClient()
  const [sure, setSure] = useState(false)
  const stop = useMutation({
    mutationFn: () => call<Detail>('POST', `/runs/${run.id}/stop`, {}),
    onSettled: () => void client.invalidateQueries(),
  })
  if (!sure)
    return (
      <p className="mt-2">
        <button
          className="text-[0.93rem] text-quiet underline underline-offset-2 hover:text-ink"
          onClick={() => setSure(true)}
        >
          Stop this run…
        </button>
      </p>
    )
  return (
    <p className="mt-2 flex flex-wrap items-center gap-2">
      What is done stays done; nothing more will happen.
      <Button strong disabled={stop.isPending} onClick={() => stop.mutate()}>
        Stop it
      </Button>
      <Button onClick={() => setSure(false)}>Let it go on</Button>
      {stop.error && (
        <span role="alert" className="text-madder">
          {stop.error.message}
        </span>
      )}
    </p>
  )
}
