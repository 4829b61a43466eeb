import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { call, type Connection, type Verdict } from '../api'
import { SecretInput } from './secret-input'
import { Button } from './states'
import { VerdictNote } from './verdict-note'

/** Secret gives a connection its secret, in place of any it had. */
export function Secret({ c, done }: { c: Connection; done: () => void }) {
  const [secret, setSecret] = useState('')
  const keep = useMutation({
    mutationFn: () => call<Verdict>('PUT', `/connections/${c.id}/secret`, { secret: secret.trim() }),
    onSuccess: () => {
      setSecret('')
      done()
    },
  })
  return (
    <form
      className="mt-6"
      onSubmit={(e) => {
        e.preventDefault()
        if (secret.trim()) keep.mutate()
      }}
    >
      <h3 className="font-semibold">
        {c.has_secret
          ? `Replace ${c.sign_in ? 'the client’s' : 'its'} secret`
          : `Give it ${c.sign_in ? 'the client’s' : 'its'} secret`}
      </h3>
      {c.moved && <p className="text-madder">{c.moved}</p>}
      <p className="text-[0.87rem] text-quiet">
        {c.secret_for && `It is sent to ${c.secret_for}, and nowhere else. `}
        {c.has_secret ? 'One is kept, sealed. ' : ''}A new one counts at once everywhere, is tested, and is never shown
        again.
      </p>
      <div className="mt-1.5 flex gap-2">
        <SecretInput value={secret} onChange={setSecret} />
        <Button strong type="submit" disabled={!secret.trim() || keep.isPending}>
          {keep.isPending ? <span className="breathe">Keeping…</span> : 'Keep and test'}
        </Button>
      </div>
      {keep.error && (
        <p role="alert" className="mt-1.5 text-madder">
          {keep.error.message}
        </p>
      )}
      {keep.data && <VerdictNote fine={keep.data.fine} words={keep.data.words} remedy={keep.data.remedy} />}
    </form>
  )
}
