import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { call, type Detail, type Session, type Step } from '../api'
import { AgentTurns } from '../parts/turns'
import { Head } from '../parts/frame'
import { Badge, Button, Chip, Loading, Trouble } from '../parts/states'
import { Sentence, Strand } from '../parts/strand'
import { Value } from '../parts/value'
import { Verdict } from '../parts/verdict'
import { Lanes, Span } from '../parts/lanes'
import { ago, audience, clock, count, gist, money, took, when } from '../words'

/** Run shows all that a run did; live while it does it. */
export default function RunPage({ session }: { session: Session }) {
  const { id = '' } = useParams()
  return <RunOf key={id} id={id} session={session} />
}

function RunOf({ id, session }: { id: string; session: Session }) {
  const may = session.person.role === 'owner' || session.person.role === 'builder'
  const run = useQuery({ queryKey: ['run', id], queryFn: () => call<Detail>('GET', `/runs/${id}`) })
  const [chosen, choose] = useState<string>()
  const [toggled, toggle] = useState(new Set<string>())
  if (run.isPending) return <Loading />
  if (run.error) return <Trouble error={run.error} again={() => void run.refetch()} />
  const d = run.data
  const still = d.steps
    .filter((s) => s.kind !== 'case')
    .findLast((s) => s.status === 'waiting' || s.status === 'running' || s.status === 'uncertain')
  const open =
    d.steps.find((s) => s.path === chosen) ??
    (d.ended ? undefined : still) ??
    (d.status === 'failed' ? d.steps.findLast((s) => s.status === 'failed' && s.kind !== 'case') : undefined) ??
    d.steps.find((s) => s.kind === 'agent' && s.agent) ??
    d.steps.filter((s) => s.status).at(-1)
  const waited = d.reviews.find((r) => !r.choice)
  // Items and rounds that went well are folded where there are many.
  const items = d.steps.filter((s) => s.many)
  const folded = new Set(
    items.filter((s) => toggled.has(s.path) !== (s.status === 'done' && items.length > 3)).map((s) => s.path),
  )
  const shown = d.steps.filter((s) => !items.some((i) => folded.has(i.path) && s.path.startsWith(i.path + '/')))
  const choosing = (s: Step) => {
    choose(s.path)
    if (!items.includes(s)) return
    const next = new Set(toggled)
    if (!next.delete(s.path)) next.add(s.path)
    toggle(next)
  }
  return (
    <div className="flex min-h-full flex-col lg:h-full">
      <Head
        title={d.about ? `“${d.about}”` : d.title}
        above={
          <>
            <Link to="/runs" className="no-underline hover:underline">
              Runs
            </Link>{' '}
            /{' '}
            <Link to={`/workflows/${d.workflow}`} className="no-underline hover:underline">
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
        <div className="mt-1.5 flex flex-wrap gap-2">
          <Chip>
            <Badge
              status={d.status}
              word={
                d.ended
                  ? `${d.status} in ${took(d.accepted, d.ended)}`
                  : d.status === 'waiting' && waited
                    ? `waiting for ${audience(waited.of)}, ${ago(waited.asked)} so far`
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
              <Origin origin={d.origin} />
            </Chip>
          )}
        </div>
        {!d.ended && may && <StopIt run={d} />}
        {d.because && (
          <p className={`mt-2 max-w-3xl ${d.status === 'failed' ? 'text-madder' : 'text-quiet'}`}>{d.because}</p>
        )}
      </Head>
      <div className="flex flex-1 flex-col lg:min-h-0 lg:flex-row">
        <div className="min-w-0 px-2 py-4 md:px-4 lg:w-[46%] lg:overflow-y-auto">
          <ol>
            {shown.map((s, i) => (
              <li key={s.path} className="flex">
                <Strand
                  status={s.status}
                  first={i === 0}
                  last={i === shown.length - 1}
                  on={shown.slice(i + 1).some((l) => l.status)}
                  branch={s.kind === 'case'}
                  inner={s.depth > 0}
                />
                <div className="min-w-0 flex-1">
                  <StepRow
                    step={s}
                    open={s === open}
                    folded={items.includes(s) ? folded.has(s.path) : undefined}
                    choose={() => choosing(s)}
                    from={d.accepted}
                    to={d.ended}
                  />
                  {s.agent && s.kind === 'agent' && (
                    <Lanes agent={s.agent} reviews={d.reviews} from={d.accepted} to={d.ended} />
                  )}
                </div>
              </li>
            ))}
          </ol>
        </div>
        <section
          aria-label="The chosen step"
          className="min-w-0 flex-1 border-line bg-raised px-4 py-4 max-lg:border-t md:px-5 lg:overflow-y-auto lg:border-l"
        >
          {open ? (
            <StepDetail key={open.path} step={open} run={d} may={may} />
          ) : (
            <p className="text-quiet">Nothing has happened yet.</p>
          )}
        </section>
      </div>
    </div>
  )
}

/** Origin says which run this one came from. */
function Origin({ origin }: { origin: { kind: string; run?: string } }) {
  const { kind, run: id } = origin
  const words: Record<string, string> = { call: 'called by', rerun: 'repeats', try: 'one step tried alone' }
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

/** Again goes through the run once more from a step, on the values recorded before it. */
function Again({ run, step }: { run: Detail; step: Step }) {
  const go = useNavigate()
  const again = useMutation({
    mutationFn: () =>
      call<{ run: string }>('POST', `/runs/${run.id}/rerun`, { from: step.kind === 'trigger' ? '' : step.path }),
    onSuccess: (r) => void go(`/runs/${r.run}`),
  })
  return (
    <p className="mb-3 flex flex-wrap items-center gap-2">
      <Button disabled={again.isPending} onClick={() => again.mutate()}>
        {step.kind === 'trigger' ? 'Run all of it again' : 'Run again from here'}
      </Button>
      {again.error && (
        <span role="alert" className="text-madder">
          {again.error.message}
        </span>
      )}
    </p>
  )
}

/** StopIt ends a run before it is done, asked twice. */
function StopIt({ run }: { run: Detail }) {
  const client = useQueryClient()
  const [sure, setSure] = useState(false)
  const stop = useMutation({
    mutationFn: () => call<Detail>('POST', `/runs/${run.id}/cancel`, {}),
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

const colours: Record<string, string> = {
  waiting: 'bg-weld',
  uncertain: 'bg-weld',
  failed: 'bg-madder',
  running: 'bg-woad',
  stopped: 'bg-walnut',
}

function StepRow({
  step,
  open,
  folded,
  choose,
  from,
  to,
}: {
  step: Step
  open: boolean
  folded?: boolean
  choose: () => void
  from: string
  to?: string
}) {
  const inner = (
    <>
      <span className="flex items-baseline justify-between gap-3">
        <span
          className={`min-w-0 text-left ${step.status ? '' : 'text-quiet'}`}
          style={{ paddingLeft: `${step.depth * 0.9}rem` }}
        >
          {step.number && <span className="mr-2 text-[0.8rem] text-quiet">{step.number}</span>}
          {folded !== undefined && (
            <span aria-hidden="true" className="mr-1.5 inline-block w-3 text-quiet">
              {folded ? '▸' : '▾'}
            </span>
          )}
          <Sentence parts={step.parts} />
          {folded !== undefined && step.status && (
            <span className={`ml-2 text-[0.87rem] ${step.status === 'failed' ? 'text-madder' : 'text-quiet'}`}>
              {step.status === 'failed' ? 'failed' : gist(step.output)}
            </span>
          )}
        </span>
        <span className="shrink-0 text-[0.84rem] text-quiet">
          {step.kind !== 'trigger' &&
            step.kind !== 'case' &&
            [took(step.began, step.ended), step.cost_micros ? money(step.cost_micros) : ''].filter(Boolean).join(' · ')}
        </span>
      </span>
      {step.status && step.began && step.kind !== 'case' && step.kind !== 'trigger' && step.status !== 'skipped' && (
        <Span began={step.began} ended={step.ended} from={from} to={to} colour={colours[step.status] ?? 'bg-lichen'} />
      )}
    </>
  )
  if (!step.status || (step.kind === 'case' && folded === undefined && step.output === undefined && !step.error))
    return <div className="px-2 py-1.5">{inner}</div>
  return (
    <button
      onClick={choose}
      aria-pressed={open}
      aria-expanded={folded === undefined ? undefined : !folded}
      className={`mb-0.5 block w-full rounded-md border px-2 py-1.5 ${open ? 'border-line bg-raised' : 'border-transparent hover:bg-raised'}`}
    >
      {inner}
    </button>
  )
}

function StepDetail({ step, run, may }: { step: Step; run: Detail; may: boolean }) {
  const again = may && run.ended && run.origin?.kind !== 'try' && step.begins && <Again run={run} step={step} />
  if (step.kind === 'trigger') {
    return (
      <>
        <Title step={step} word="What arrived" />
        {again}
        <Box title={run.signal.kind}>
          <Value value={run.signal.text ?? run.signal.body ?? { due: run.about }} />
        </Box>
        {run.response && (
          <Box title={`The caller was answered ${run.response.status}`}>
            <Value value={run.response.body} />
          </Box>
        )}
      </>
    )
  }
  // What this very step asked; what an agent's calls asked stands with them.
  const asked = run.reviews.filter(
    (r) => step.reviews?.includes(r.id) && !step.agent?.calls?.some((c) => c.review === r.id),
  )
  return (
    <>
      <Title
        step={step}
        word={
          step.kind === 'agent'
            ? 'The agent at work'
            : step.agent
              ? 'A model was asked'
              : step.kind === 'case'
                ? 'What left it'
                : 'This step'
        }
      />
      {again}
      {step.recorded && <p className="mb-3 text-quiet">Taken over from the run this one repeats.</p>}
      {!!step.tries && <p className="mb-3 text-quiet">Tried {count(step.tries, 'time')} before.</p>}
      {step.until && <p className="mb-3 text-weld">Goes on by itself {when(step.until)}.</p>}
      {step.child && (
        <p className="mb-3">
          It called{' '}
          <Link to={`/runs/${step.child}`} className="font-mono text-indigo underline underline-offset-2">
            {step.child}
          </Link>
          .
        </p>
      )}
      {step.error && (
        <Box title={step.status === 'stopped' ? 'Why it went no further' : 'Why it failed'}>
          <p className={step.status === 'stopped' ? '' : 'text-madder'}>{step.error}</p>
        </Box>
      )}
      {step.agent && <AgentTurns agent={step.agent} reviews={run.reviews} />}
      {step.kind === 'agent' && asked.map((r) => <Verdict key={r.id} review={r} />)}
      {step.kind !== 'agent' && (
        <>
          {!(step.agent && step.kind !== 'tool') && step.input !== undefined && (
            <Box title="It was given">
              <Value value={step.input} />
            </Box>
          )}
          {asked.map((r) => (
            <Verdict key={r.id} review={r} />
          ))}
          {step.output !== undefined && (
            <Box title="It gave">
              <Value value={step.output} />
            </Box>
          )}
        </>
      )}
    </>
  )
}

function Title({ step, word }: { step: Step; word: string }) {
  return (
    <div className="mb-3">
      <h2 className="text-lg font-semibold">{word}</h2>
      <p className="text-[0.87rem] text-quiet">
        {step.status && <Badge status={step.status} />} {step.began && clock(step.began)}{' '}
        {took(step.began, step.ended) && `· ${took(step.began, step.ended)}`}
        {step.agent && ` · ${gist(step.agent.model)} model · ${count(step.agent.turns?.length ?? 0, 'turn')}`}
      </p>
    </div>
  )
}

function Box({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section className="mb-3 rounded-lg border border-line">
      <h3 className="border-b border-line px-3 py-1 text-[0.87rem] text-quiet first-letter:uppercase">{title}</h3>
      <div className="px-3 py-2">{children}</div>
    </section>
  )
}
