import type { Agent, Detail } from '../api'
import { audience, money, plain, took } from '../words'
import { useNow } from './now'

/** Span places something in the time the whole run took. */
export function Span({
  began,
  ended,
  from,
  to,
  colour,
}: {
  began: string
  ended?: string
  from: string
  to?: string
  colour: string
}) {
  const now = useNow(!to || !ended)
  const start = Date.parse(from)
  const whole = Math.max(1, (to ? Date.parse(to) : now) - start)
  const left = Math.min(99, Math.max(0, ((Date.parse(began) - start) / whole) * 100))
  const end = (((ended ? Date.parse(ended) : now) - start) / whole) * 100
  return (
    <span aria-hidden="true" className="mt-1 block h-1 rounded-full bg-line/50">
      <span
        className={`block h-1 rounded-full ${colour}`}
        style={{ marginLeft: `${left}%`, width: `${Math.max(1, Math.min(100, end) - left)}%` }}
      />
    </span>
  )
}

interface Lane {
  key: string
  began: string
  ended?: string
  name: string
  right: string
  colour: string
}

/** Lanes lays an agent's turns, its tools and the people it waited for along the time of the run. */
export function Lanes({
  agent,
  reviews,
  from,
  to,
}: {
  agent: Agent
  reviews: Detail['reviews']
  from: string
  to?: string
}) {
  const lanes: Lane[] = []
  agent.turns?.forEach((t, i) =>
    lanes.push({
      key: `t${i}`,
      began: t.asked,
      ended: t.answered,
      name: `turn ${i + 1}`,
      colour: t.answered ? 'bg-indigo' : 'bg-woad',
      right: [took(t.asked, t.answered), t.cost ? money(t.cost) : ''].filter(Boolean).join(' · '),
    }),
  )
  agent.calls?.forEach((c) => {
    const review = reviews.find((r) => r.id === c.review)
    if (review)
      lanes.push({
        key: c.id + 'r',
        began: review.asked,
        ended: review.decided,
        name: `${review.choice ? review.by : audience(review.ask)}: ${review.choice ?? 'asked'}`,
        right: took(review.asked, review.decided),
        colour: 'bg-weld',
      })
    const sent = review ? review.decided : c.began
    if (sent && c.state !== 'declined')
      lanes.push({
        key: c.id,
        began: sent,
        ended: c.ended,
        name: plain(c.tool.split('/')[1] ?? c.tool),
        right: took(sent, c.ended),
        colour: c.state === 'failed' ? 'bg-madder' : c.ended ? 'bg-lichen' : 'bg-woad',
      })
  })
  lanes.sort((a, b) => a.began.localeCompare(b.began))
  return (
    <ul aria-label="Turns and tools" className="mb-1">
      {lanes.map((l) => (
        <li key={l.key} className="px-2 py-0.5 pl-6 text-[0.87rem]">
          <span className="flex justify-between gap-3">
            <span>{l.name}</span>
            <span className="text-quiet">{l.right}</span>
          </span>
          <Span began={l.began} ended={l.ended} from={from} to={to} colour={l.colour} />
        </li>
      ))}
    </ul>
  )
}
