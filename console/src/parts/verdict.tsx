import { Link } from 'react-router'
import type { Review } from '../api'
import { audience, clock, gist, plain } from '../words'

/** Verdict says who was asked and what they decided, with what they changed. */
export function Verdict({ review: r }: { review: Omit<Review, 'run' | 'workflow' | 'from' | 'about' | 'yours'> }) {
  if (!r.choice) {
    return (
      <p className="my-2 rounded-lg bg-weld-wash px-3 py-2 text-weld">
        {r.kind !== 'step' && `${r.why} `}Waiting for {audience(r.ask)} since {clock(r.asked)}.{' '}
        <Link to={`/reviews/${r.id}`} className="underline underline-offset-2">
          Open the review
        </Link>
      </p>
    )
  }
  const changed = Object.entries(r.edited ?? {}).filter(([k, v]) => gist(v) !== gist(r.edit?.[k]))
  return (
    <div className="my-2 rounded-lg bg-paper px-3 py-2">
      {r.kind !== 'step' && <p className="mb-1 text-[0.87rem] text-quiet">{r.why}</p>}
      <p className="text-[0.87rem] text-quiet">
        {r.by}, {clock(r.decided!)}
      </p>
      <p className="first-letter:uppercase">
        {r.choice}.{changed.map(([k, v]) => ` Changed ${plain(k)} from "${gist(r.edit?.[k])}" to "${gist(v)}".`)}
        {r.note && ` “${r.note}”`}
      </p>
    </div>
  )
}
