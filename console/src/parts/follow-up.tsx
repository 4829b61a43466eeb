import { useState } from 'react'
import { type FollowUp } from '../api'
import { when } from '../words'
import { useNow } from './now'
import { Sure } from './sure'

/** FollowUpLine says when a conversation goes on by itself, and lets somebody cancel that. */
export function FollowUpLine({ of, may }: { of: FollowUp; may: boolean }) {
  const now = useNow(!of.cancelled)
  const over = of.cancelled || Date.parse(of.due) < now
  return (
    <span className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
      <span className={over ? 'text-quiet' : ''}>
        <time dateTime={of.due}>{when(of.due)}</time>: {of.what}
        {of.cancelled && ` (cancelled: ${of.cancelled})`}
        {!of.cancelled && over && ' (begun)'}
      </span>
      {!over && may && <Cancel of={of} />}
    </span>
  )
}

/** Cancel takes a follow-up back, asked twice. */
function Cancel({ of }: { of: FollowUp }) {
  const [sure, setSure] = useState(false)
  if (!sure)
    return (
      <button
        aria-label={`Cancel the follow-up: ${of.what}`}
        className="text-[0.93rem] text-quiet underline underline-offset-2 hover:text-ink"
        onClick={() => setSure(true)}
      >
        Cancel…
      </button>
    )
  return (
    <Sure
      path={`/follow-ups/${encodeURIComponent(of.id)}`}
      means="Nobody is written to then."
      word="Cancel it"
      leave={() => setSure(false)}
    />
  )
}
