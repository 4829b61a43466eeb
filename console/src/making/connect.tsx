import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { slug } from '../parts/new-workflow'
import { Loading } from '../parts/states'
import { needed } from '../script/fresh'
import { FormContext } from '../script/use-draft'
import { ConnectionForm } from './connection-form'
import { FileDraft } from './file-draft'
import { kindTitles, kindWords } from './kinds'
import { Side } from './side'
import { useFile, useKnown } from './use-file'

interface Wanted {
  kind?: string // which kind of connection; nothing asks
  called?: string // what it is called to begin with
  onMade: (id: string) => void
  onClose: () => void
}

/** Connect makes a connection that is not there yet, at the side of what it is for. */
export default function Connect(p: Wanted) {
  const [kind, choose] = useState(p.kind)
  const connecting = kind ? `Connect: ${kindTitles[kind] ?? kind}` : 'Connect something'
  const title = kind === 'signing_key' ? 'Make a signing key' : connecting
  return (
    <Side title={title} onClose={p.onClose}>
      {kind ? <Fresh kind={kind} called={p.called ?? ''} onMade={p.onMade} /> : <Kinds onChoose={choose} />}
    </Side>
  )
}

function Kinds({ onChoose }: { onChoose: (kind: string) => void }) {
  const { known } = useKnown()
  if (!known) return <Loading />
  return (
    <ul className="divide-y divide-line">
      {known.language.protocols.map((k, i) => (
        <li key={k.name}>
          <button
            type="button"
            autoFocus={i === 0}
            onClick={() => onChoose(k.name)}
            className="w-full px-2 py-2 text-left hover:bg-wash focus-visible:bg-wash"
          >
            <span className="font-semibold first-letter:uppercase">{kindTitles[k.name] ?? k.name}</span>{' '}
            <span className="text-[0.9rem] text-quiet">{kindWords[k.name] ?? k.help}</span>
          </button>
        </li>
      ))}
    </ul>
  )
}

/** Fresh is a connection of a kind that has nothing filled in. */
function Fresh({ kind, called, onMade }: { kind: string; called: string; onMade: (id: string) => void }) {
  const { known } = useKnown()
  if (!known) return <Loading />
  const protocol = known.language.protocols.find((k) => k.name === kind)
  const own = JSON.stringify(needed(protocol?.fields ?? []))
  const names = `connection: ${JSON.stringify(slug(called))}\ntitle: ${JSON.stringify(called)}\n`
  return <Edited text={`${names}${kind}: ${own}\n`} called={called} kind={kind} onMade={onMade} />
}

/** Edited is a connection that is being filled in; one that has an id is there already. */
export function Edited({
  id = '',
  called = '',
  text,
  kind,
  onMade,
}: {
  id?: string
  called?: string
  text: string
  kind: string
  onMade: (id: string) => void
}) {
  const { known } = useKnown()
  const client = useQueryClient()
  const file = useFile(() => new FileDraft('connection', id || slug(called), text, id ? text : ''))
  if (!known) return <Loading />
  const made = async (id: string) => {
    await Promise.all(
      ['names', 'tools', 'connections', 'connection'].map((key) => client.invalidateQueries({ queryKey: [key] })),
    )
    onMade(id)
  }
  return (
    <FormContext value={{ ...known, draft: file }}>
      <ConnectionForm file={file} kind={kind} fresh={!id} onMade={(id) => void made(id)} />
    </FormContext>
  )
}
