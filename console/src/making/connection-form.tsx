import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import type { Description, Field } from '../api'
import { slug } from '../parts/new-workflow'
import { SecretInput } from '../parts/secret-input'
import { Button } from '../parts/states'
import { VerdictNote } from '../parts/verdict-note'
import { FieldRow } from '../script/field-row'
import { More } from '../script/more'
import { useForm } from '../script/use-draft'
import { AuthField } from './auth'
import { Consequences } from './consequences'
import { Describe } from './describe'
import type { FileDraft } from './file-draft'
import { KeyForm } from './key-form'
import { Laid } from './laid'
import { Reach } from './reach'
import { useFileState } from './use-file'

interface Shown {
  file: FileDraft
  kind: string
  fresh: boolean
  onMade: (id: string) => void
}

/** ConnectionForm fills in a connection, gives it its secret, and tries it. */
export function ConnectionForm({ file, kind, fresh, onMade }: Shown) {
  const { language } = useForm()
  const s = useFileState(file)
  const [secret, setSecret] = useState('')
  const protocol = language.protocols.find((k) => k.name === kind)
  const keep = useMutation({
    mutationFn: async () => {
      if (fresh && !file.from) await named(file)
      return file.keep(secret)
    },
  })
  const taken = useTaken(file, fresh)
  const field = (name: string) => language.connection.find((f) => f.name === name)!
  const own = protocol?.fields ?? []
  const place = (f: Field) => `/${kind}/${f.name}`
  const asks = own.filter((f) => f.required && f.name !== 'description')
  const rest = own.filter((f) => !f.required)
  const verdict = keep.data?.verdict
  const wrong = s.problems.filter((p) => p.severity === 'wrong')
  if (kind === 'signing_key') return <KeyForm file={file} fresh={fresh} onMade={onMade} />
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        keep.mutate()
      }}
    >
      {kind === 'openapi' && fresh && <Describe onTaken={(d, near) => void described(file, d, near)} />}
      <Called file={file} fresh={fresh} autoFocus={kind !== 'openapi'} />
      {protocol?.schemes && <FieldRow field={field('address')} place="/address" />}
      {asks.map((f) => (
        <FieldRow key={f.name} field={f} place={place(f)} />
      ))}
      {protocol?.schemes && <AuthField field={field('auth')} />}
      {s.meant?.needs_secret && (
        <Secret secret={secret} has={!!s.meant.has_secret} moved={s.meant.moved} onChange={setSecret} />
      )}
      <Reach />
      <More title="More it can say">
        {[...rest.map((f) => [f, place(f)] as const), ...others.map((n) => [field(n), `/${n}`] as const)].map(
          ([f, at]) => (
            <FieldRow key={at} field={f} place={at} />
          ),
        )}
      </More>
      <ul aria-label="To put right">
        {keep.isSuccess || wrong.length === 0
          ? null
          : wrong.slice(0, 6).map((p, i) => (
              <li key={i} className="text-[0.9rem] text-quiet">
                {p.what}
                {p.remedy && `: ${p.remedy}`}
              </li>
            ))}
      </ul>
      <Consequences used={taken ? [] : (s.meant?.used_by ?? [])} error={keep.error} />
      {verdict && <VerdictNote fine={verdict.fine} words={verdict.words} remedy={verdict.remedy} />}
      <p className="mt-3 flex gap-2">
        <Button
          strong={!verdict?.fine}
          type="submit"
          disabled={!file.id || taken || wrong.length > 0 || keep.isPending}
        >
          {keep.isPending ? <span className="breathe">Trying…</span> : verdict || !fresh ? 'Save and test' : 'Connect'}
        </Button>
        {verdict && (
          <Button strong={verdict.fine} autoFocus={verdict.fine} onClick={() => onMade(file.id)}>
            {verdict.fine ? 'Use it' : 'Leave it like this'}
          </Button>
        )}
      </p>
    </form>
  )
}

const others = ['acts_as', 'drafts_use', 'unencrypted', 'limits', 'tools']

/** described fills in what a description says. */
async function described(file: FileDraft, d: Description, near: boolean) {
  if (!file.id && d.title) {
    await file.set(['title'], d.title)
    await file.call(slug(d.title))
  }
  const path = `schemas/${file.id || 'api'}${/^\s*\{/.test(d.text) ? '.json' : '.yaml'}`
  file.beside = { [path]: d.text }
  await file.set(['openapi', 'description'], path)
  if (d.address) await file.set(['address'], d.address)
  const here = /\/\/(localhost|127\.|\[::1\])/.test(d.address ?? '')
  if (near) await file.set(['networks'], [here ? 'loopback' : 'private'])
  if (d.auth) await file.set(['auth'], { [d.auth]: d.name || (d.auth === 'bearer' ? 'kept by the service' : '') })
}

/** named calls the description that comes along like the connection. */
async function named(file: FileDraft) {
  const [path, text] = Object.entries(file.beside)[0] ?? []
  if (!path || text === undefined) return
  const own = path.replace(/[^/]*(?=\.)/, file.id)
  file.beside = { [own]: text }
  await file.set(['openapi', 'description'], own)
}

/** useTaken tells whether another file has the id already. */
export function useTaken(file: FileDraft, fresh: boolean) {
  const { names } = useForm()
  useFileState(file)
  return fresh && !file.from && names.some((n) => n.holds === file.kind && n.name === file.id)
}

/** Called is what people call it; its id follows while there is no such file. */
export function Called({ file, fresh, autoFocus }: { file: FileDraft; fresh: boolean; autoFocus?: boolean }) {
  const { tree } = useFileState(file)
  const taken = useTaken(file, fresh)
  const title = (tree as { title?: string } | undefined)?.title ?? ''
  const [typed, setTyped] = useState<string>()
  const name = (to: string) => {
    setTyped(to)
    void file.set(['title'], to)
    if (fresh && !file.from) void file.call(slug(to))
  }
  return (
    <Laid
      name="It is called"
      help={
        taken
          ? `There is a ${file.kind} ${file.id} already: give this one another name.`
          : file.id && `Named ${file.id} in files.`
      }
    >
      <input
        aria-label="What it is called"
        autoFocus={autoFocus}
        value={typed ?? title}
        onChange={(e) => name(e.target.value)}
        onBlur={() => setTyped(undefined)}
        className="w-full rounded-md border border-line bg-paper px-2.5 py-1.5"
      />
    </Laid>
  )
}

interface SecretProps {
  secret: string
  has: boolean
  moved?: string // that what is kept was given for another place
  onChange: (s: string) => void
}

function Secret({ secret, has, moved, onChange }: SecretProps) {
  return (
    <Laid
      name="Secret"
      help={`The key, password or token the other side gave you. It is sealed and never shown again${has ? '; empty leaves the one that is kept' : ''}.`}
    >
      <SecretInput value={secret} onChange={onChange} />
      {moved && <p className="text-[0.9rem] text-madder">{moved}</p>}
    </Laid>
  )
}
