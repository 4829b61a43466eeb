import { useQuery } from '@tanstack/react-query'
import { useMemo, useState } from 'react'
import { useParams } from 'react-router'
import { call, mayBuild, mayReview, type Detail, type Session, type Step } from '../api'
import { RunHead } from '../parts/run-head'
import { Loading, Trouble } from '../parts/states'
import { StepDetail } from '../parts/step-detail'
import { Sentence } from '../parts/sentence'
import { railsOf } from '../parts/rails'
import { Strand } from '../parts/strand'
import { Lanes, Span } from '../parts/lanes'
import { gist, money, took } from '../words'

/** Run shows all that a run did; live while it does it. */
export default function RunPage({ session }: { session: Session }) {
  const { id = '' } = useParams()
  return <RunOf key={id} id={id} session={session} />
}

function RunOf({ id, session }: { id: string; session: Session }) {
  const may = mayBuild(session)
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
      <RunHead run={d} may={may} reviews={mayReview(session)} />
      <div className="flex flex-1 flex-col lg:min-h-0 lg:flex-row">
        <Steps run={d} shown={shown} open={open} folded={folded} choose={choosing} />
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

/** Steps are the steps of a run along its strand, with the lanes of its agents. */
function Steps({
  run,
  shown,
  open,
  folded,
  choose,
}: {
  run: Detail
  shown: Step[]
  open?: Step
  folded: Set<string>
  choose: (step: Step) => void
}) {
  const rails = useMemo(() => railsOf(shown), [shown])
  return (
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
              depth={s.depth}
              rails={rails[i]}
            />
            <div className="min-w-0 flex-1">
              <StepRow
                step={s}
                open={s.path === open?.path}
                folded={s.many ? folded.has(s.path) : undefined}
                choose={() => choose(s)}
                from={run.accepted}
                to={run.ended}
              />
              {s.agent && s.kind === 'agent' && (
                <Lanes agent={s.agent} reviews={run.reviews} from={run.accepted} to={run.ended} />
              )}
            </div>
          </li>
        ))}
      </ol>
    </div>
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
          <Sentence parts={step.parts} reads={step.reads} values={step.values} />
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
