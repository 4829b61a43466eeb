import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { call, mayBuild, type Day, type Session, type Workflow } from '../api'
import { Bin } from '../parts/bin'
import { Head } from '../parts/frame'
import { LiveState } from '../parts/live-state'
import { NewWorkflow } from '../parts/new-workflow'
import { Chip, Empty, Loading, Trouble } from '../parts/states'
import { count, when } from '../words'

/** Workflows lists every workflow with what starts it and how its week went. */
export default function Workflows({ session }: { session: Session }) {
  const all = useQuery({ queryKey: ['workflows'], queryFn: () => call<Workflow[]>('GET', '/workflows') })
  if (all.isPending) return <Loading />
  if (all.error) return <Trouble error={all.error} again={() => void all.refetch()} />
  const may = mayBuild(session)
  if (all.data.length === 0) {
    return (
      <>
        <Head title="Workflows" right={may && <NewWorkflow />} />
        <Empty title="No workflows yet">Make one: say what it is called, then what starts it.</Empty>
        {may && <Bin />}
      </>
    )
  }
  return (
    <>
      <Head
        title="Workflows"
        beside={<Chip>{count(all.data.length, 'workflow')}</Chip>}
        right={may && <NewWorkflow />}
      />
      <ul className="divide-y divide-line">
        {all.data.map((w) => (
          <li key={w.id}>
            <Link
              to={`/workflows/${w.id}`}
              className="grid gap-x-6 gap-y-1 px-4 py-3.5 no-underline hover:bg-raised md:grid-cols-[minmax(0,1fr)_9rem_11rem] md:px-6"
            >
              <span className="min-w-0">
                <span className="flex flex-wrap items-center gap-x-3">
                  <span className="font-semibold">{w.title}</span>
                  <LiveState of={w} />
                </span>
                <span className="line-clamp-3 text-quiet">{w.purpose}</span>
                <span className="mt-0.5 block text-[0.87rem] text-indigo">{w.triggers.join(' · ')}</span>
              </span>
              <span className="text-[0.87rem] text-quiet">
                {w.last_run ? (
                  <>
                    last run<span className="block text-ink">{when(w.last_run)}</span>
                  </>
                ) : (
                  'never run'
                )}
              </span>
              <Week week={w.week} />
            </Link>
          </li>
        ))}
      </ul>
      {may && <Bin />}
    </>
  )
}

/** Week draws seven days of runs as a line, with the failures below in words. */
function Week({ week }: { week: Day[] }) {
  const most = Math.max(1, ...week.map((d) => d.runs))
  const runs = week.reduce((n, d) => n + d.runs, 0)
  const failed = week.reduce((n, d) => n + d.failed, 0)
  const at = (d: Day, i: number) => `${4 + i * 16},${26 - (d.runs / most) * 22}`
  return (
    <span className="text-[0.87rem]">
      <svg viewBox="0 0 104 30" className="h-7 w-26" aria-hidden="true">
        <polyline
          points={week.map(at).join(' ')}
          fill="none"
          stroke="var(--indigo)"
          strokeWidth="1.8"
          strokeLinejoin="round"
        />
        {week.map(
          (d, i) =>
            d.failed > 0 && (
              <circle key={d.date} cx={4 + i * 16} cy={26 - (d.runs / most) * 22} r="3.2" fill="var(--madder)" />
            ),
        )}
      </svg>
      <span className="block text-quiet">
        {count(runs, 'run')} this week{failed > 0 && <span className="text-madder"> · {failed} failed</span>}
      </span>
    </span>
  )
}
