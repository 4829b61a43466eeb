import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { call, type FollowUp } from '../api'
import { when } from '../words'
import { useNow } from './now'
import { Button } from './states'

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
  const client = useQueryClient()
  const [sure, setSure] = useState(false)
  const cancel = useMutation({
    mutationFn: () => call('DELETE', `/follow-ups/${encodeURIComponent(of.id)}`),
    onSettled: () => void client.invalidateQueries(),
  })
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
    <span className="flex flex-wrap items-center gap-2">
      Nobody is written to then.
      <Button strong disabled={cancel.isPending} onClick={() => cancel.mutate()}>
        Cancel it
      </Button>
      <Button onClick={() => setSure(false)}>Leave it</Button>
      {cancel.error && (
        <span role="alert" className="text-madder">
          {cancel.error.message}
        </span>
      )}
    </span>
  )
}
