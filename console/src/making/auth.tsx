import { useState } from 'react'
import type { Field } from '../api'
import { FieldRow } from '../script/field-row'
import { titled } from '../script/language'
import { useForm, useDraftState } from '../script/use-draft'
import { Laid } from './laid'

type Auth = Record<string, unknown>

const ways: Record<string, string> = {
  '': 'nothing: it needs no secret',
  bearer: 'a token, sent as a bearer token',
  basic: 'a user and a password',
  header: 'a key, in a header',
  query: 'a key, in the address',
  oauth: 'signing in (OAuth 2)',
}

const asked: Record<string, string> = { basic: 'User', header: 'Name of the header', query: 'Name in the address' }

/** AuthField is how a connection shows who asks: which way, and what belongs to it. */
export function AuthField({ field }: { field: Field }) {
  const { draft } = useForm()
  const { tree } = useDraftState(draft)
  const auth = ((tree as { auth?: Auth } | undefined)?.auth ?? {}) as Auth
  const way = Object.keys(auth)[0] ?? ''
  const [typed, setTyped] = useState<string>()
  const choose = (to: string) => {
    const first = to === 'bearer' ? 'kept by the service' : to === 'oauth' ? { token: '', client: '' } : ''
    void draft.set(['auth'], to === '' ? undefined : { [to]: first })
  }
  const oauth = field.fields?.find((f) => f.name === 'oauth')
  return (
    <Laid name="It wants" help={field.help}>
      <select
        aria-label="What it wants"
        value={way}
        onChange={(e) => choose(e.target.value)}
        className="w-full rounded-md border border-line bg-paper px-2.5 py-1.5"
      >
        {['', ...(field.fields ?? []).map((f) => f.name)].map((w) => (
          <option key={w} value={w}>
            {ways[w] ?? titled(w)}
          </option>
        ))}
      </select>
      {asked[way] && (
        <input
          aria-label={asked[way]}
          placeholder={asked[way]}
          value={typed ?? String(auth[way] ?? '')}
          onChange={(e) => {
            setTyped(e.target.value)
            void draft.set(['auth', way], e.target.value)
          }}
          onBlur={() => setTyped(undefined)}
          className="mt-1.5 w-full rounded-md border border-line bg-paper px-2.5 py-1.5"
        />
      )}
      {way === 'oauth' &&
        oauth?.fields?.map((f) => <FieldRow key={f.name} field={f} place={`/auth/oauth/${f.name}`} />)}
    </Laid>
  )
}
