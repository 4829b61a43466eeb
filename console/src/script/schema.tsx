import { useQuery } from '@tanstack/react-query'
import { X } from 'lucide-react'
import { useState } from 'react'
import { call, type Detail } from '../api'
import { Choose } from './choose'
import { type InputProps } from './field-input'
import { titled } from './language'
import { asName } from './rows'
import { useBeginnings } from './try/use-trying'
import { useForm } from './use-draft'

interface Schema {
  type?: string
  required?: string[]
  properties?: Record<string, Schema>
  items?: Schema
  enum?: unknown[]
  description?: string
}

/** SchemaInput says what something must look like: a file's name, or rows written here, from samples where there are any. */
export function SchemaInput(p: InputProps) {
  const { names } = useForm()
  const files = names.filter((n) => n.holds === 'schema').map((n) => ({ value: n.name, title: n.title }))
  const here = p.value !== null && typeof p.value === 'object'
  const options = [{ value: 'here', title: 'fields, written here' }, ...files]
  const choose = (to: string) => {
    if (to === 'here') p.onSet({ type: 'object', properties: {} })
    else p.onSet(to === '' ? undefined : to)
  }
  return (
    <div className="space-y-2">
      <Choose
        label={p.label}
        autoFocus={p.autoFocus}
        value={here ? 'here' : typeof p.value === 'string' ? p.value : ''}
        options={options}
        free
        onChoose={choose}
      />
      {here && <Rows schema={p.value as Schema} onSet={p.onSet} />}
    </div>
  )
}

const types: [string, string][] = [
  ['string', 'a text'],
  ['number', 'a number'],
  ['integer', 'a whole number'],
  ['boolean', 'yes or no'],
  ['array', 'a list'],
  ['object', 'several values'],
]

function Rows({ schema, onSet }: { schema: Schema; onSet: InputProps['onSet'] }) {
  const [fresh, setFresh] = useState('')
  const all = Object.entries(schema.properties ?? {})
  const put = (properties: Record<string, Schema>, required = schema.required ?? []) => {
    const kept = required.filter((r) => r in properties)
    onSet({ ...schema, type: 'object', required: kept.length ? kept : undefined, properties })
  }
  const need = (name: string, on: boolean) =>
    put(
      schema.properties ?? {},
      on ? [...(schema.required ?? []), name] : (schema.required ?? []).filter((r) => r !== name),
    )
  const add = () => {
    const name = asName(fresh)
    if (name) put({ ...schema.properties, [name]: { type: 'string' } })
    setFresh('')
  }
  return (
    <div className="space-y-1 rounded-md border border-line p-2">
      {all.map(([name, s]) => (
        <div key={name} className="flex flex-wrap items-center gap-2">
          <span className="w-32 truncate">{titled(name)}</span>
          <select
            aria-label={`${titled(name)} is`}
            value={s.type ?? ''}
            onChange={(e) => put({ ...schema.properties, [name]: { ...s, type: e.target.value } })}
            className="rounded-md border border-line bg-paper px-2 py-1"
          >
            <option value="">anything</option>
            {types.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              aria-label={`needed: ${titled(name)}`}
              checked={schema.required?.includes(name) ?? false}
              onChange={(e) => need(name, e.target.checked)}
              className="size-4 accent-indigo"
            />
            needed
          </label>
          <button
            type="button"
            aria-label={`Remove ${titled(name)}`}
            onClick={() => put(Object.fromEntries(all.filter(([n]) => n !== name)))}
            className="ml-auto p-1 text-quiet"
          >
            <X className="size-4" aria-hidden="true" />
          </button>
        </div>
      ))}
      <div className="flex flex-wrap items-center gap-2">
        <input
          aria-label="Name of one more field"
          placeholder="one more field, called…"
          value={fresh}
          onChange={(e) => setFresh(e.target.value)}
          onKeyDown={(e) => e.key === 'Enter' && add()}
          className="w-48 rounded-md border border-line bg-paper px-2 py-1"
        />
        <button type="button" disabled={!asName(fresh)} onClick={add} className="text-indigo disabled:opacity-50">
          Add
        </button>
        {all.length > 1 && (
          <button
            type="button"
            onClick={() => put(schema.properties ?? {}, Object.keys(schema.properties ?? {}))}
            className="text-indigo"
          >
            All are needed
          </button>
        )}
        <FromSample put={(s) => put({ ...s.properties, ...schema.properties })} />
      </div>
    </div>
  )
}

/** FromSample takes the fields of what arrived; each may be missing unless it is ticked. */
function FromSample({ put }: { put: (s: Schema) => void }) {
  const { draft } = useForm()
  const { samples, runs } = useBeginnings(draft.id)
  const [run, setRun] = useState('')
  useQuery({
    queryKey: ['run', run, 'body'],
    queryFn: async () => {
      const d = await call<Detail>('GET', `/runs/${run}`)
      put(schemaOf(d.signal.body))
      setRun('')
      return d.id
    },
    enabled: run !== '',
  })
  if (samples.length + runs.length === 0) return null
  const take = (value: string) => {
    const sample = samples.find((s) => `sample ${s.name}` === value)
    if (sample) put(schemaOf(sample.signal.body))
    else setRun(value)
  }
  return (
    <select
      aria-label="Take the fields of what arrived"
      value=""
      onChange={(e) => take(e.target.value)}
      className="ml-auto max-w-60 rounded-md border border-line bg-paper px-2 py-1 text-indigo"
    >
      <option value="">take the fields of what arrived…</option>
      {samples.map((s) => (
        <option key={s.name} value={`sample ${s.name}`}>
          sample “{s.name}”
        </option>
      ))}
      {runs.map((r) => (
        <option key={r.id} value={r.id}>
          {r.about.slice(0, 60)}
        </option>
      ))}
    </select>
  )
}

/** schemaOf describes a value; what a map has may be missing. */
export function schemaOf(v: unknown): Schema {
  if (Array.isArray(v)) return v.length ? { type: 'array', items: schemaOf(v[0]) } : { type: 'array' }
  if (v !== null && typeof v === 'object')
    return { type: 'object', properties: Object.fromEntries(Object.entries(v).map(([k, x]) => [k, schemaOf(x)])) }
  const type = ({ string: 'string', number: 'number', boolean: 'boolean' } as Record<string, string>)[typeof v]
  return type ? { type } : {}
}
