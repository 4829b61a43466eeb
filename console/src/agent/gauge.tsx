import { useQuery } from '@tanstack/react-query'
import { call, type Detail, type Turn } from '../api'
import { money } from '../words'

const parts = [
  ['told', 'told', 'bg-indigo'],
  ['tools', 'tools', 'bg-woad'],
  ['memory', 'memory', 'bg-weld'],
  ['task', 'task', 'bg-lichen'],
] as const

/** Gauge says how full the model's window was in the last turn of a run, and of what. */
export function Gauge({ run, window }: { run?: string; window?: number }) {
  const of = useQuery({
    queryKey: ['run', run],
    queryFn: () => call<Detail>('GET', `/runs/${run}`),
    enabled: !!run,
    refetchInterval: (q) => (q.state.data?.ended ? false : 1000),
  })
  const turn = of.data?.steps.flatMap((s) => s.agent?.turns ?? []).at(-1)
  if (!turn?.fill) return null
  const all = parts.reduce((n, [k]) => n + (turn.fill?.[k] ?? 0), 0)
  const read = turn.input || all
  const most = window || Math.max(read, all)
  return (
    <div className="border-t border-line px-4 py-2 text-[0.84rem] text-quiet">
      <p className="flex justify-between">
        <span>what the model has read</span>
        <span>
          {read.toLocaleString('en-GB')} {window ? `of ${window.toLocaleString('en-GB')}` : 'tokens'}
        </span>
      </p>
      <div className="mt-1 flex h-2 overflow-hidden rounded-full bg-line" aria-hidden="true">
        {parts.map(([k, , colour]) => (
          <span key={k} className={colour} style={{ width: `${(share(turn, k, all) * read * 100) / most}%` }} />
        ))}
      </div>
      <p className="mt-1">
        {parts
          .filter(([k]) => turn.fill?.[k])
          .map(([k, words]) => `${words} ${Math.round(share(turn, k, all) * read).toLocaleString('en-GB')}`)
          .join(' · ')}
        {turn.left_out ? ` · ${turn.left_out} of the oldest messages left out` : ''}
        {of.data && of.data.cost_micros > 0 && ` · ${money(of.data.cost_micros)} for this answer`}
      </p>
    </div>
  )
}

/** share is the part of what was read that something takes, 0 to 1. */
const share = (t: Turn, k: (typeof parts)[number][0], all: number) => (all > 0 ? (t.fill?.[k] ?? 0) / all : 0)
