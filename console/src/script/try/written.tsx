import { useEffect, useMemo, useState } from 'react'
import type { Line, Sight } from '../../api'
import { titled } from '../language'
import type { Source } from './use-trying'

interface Shape {
  type?: string | string[]
  properties?: Record<string, Shape>
  required?: string[]
  enum?: unknown[]
  description?: string
  anyOf?: Shape[]
  title?: string
}

const typeOf = (s?: Shape): string =>
  (Array.isArray(s?.type) ? s.type.find((t) => t !== 'null') : s?.type) ?? typeOf2(s?.anyOf)
const typeOf2 = (any?: Shape[]): string => (any ? typeOf(any.find((s) => s.type !== 'null')) : '')

/** Written is a signal written by hand, in a form drawn from what the trigger takes. */
export function Written(p: { sees: Sight[]; lines: Line[]; inputsOnly: boolean; onChange: (s: Source) => void }) {
  const triggers = p.lines.filter((l) => l.kind === 'trigger').map((l) => l.id ?? 'called')
  const [trigger, setTrigger] = useState(triggers[0] ?? 'called')
  const [values, setValues] = useState<Record<string, string>>({})
  const called = p.inputsOnly || trigger === 'called'
  const fields = useMemo(() => fieldsOf(p.sees, called), [p.sees, called])
  const set = (name: string, value: string) => {
    const next = { ...values, [name]: value }
    setValues(next)
    p.onChange(made(trigger, called, fields, next))
  }
  const { onChange } = p
  useEffect(() => {
    onChange(made(trigger, called, fields, {}))
    // What is written is told as it is written; this tells the empty one, once for each trigger.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [trigger])
  return (
    <div className="mt-2 space-y-1.5 rounded-md border border-line p-2.5">
      {triggers.length > 1 && (
        <label className="block">
          <span className="text-[0.87rem] text-quiet">As it comes by</span>
          <select
            value={trigger}
            onChange={(e) => setTrigger(e.target.value)}
            className="w-full rounded-md border border-line bg-paper px-2 py-1"
          >
            {triggers.map((t) => (
              <option key={t} value={t}>
                {titled(t)}
              </option>
            ))}
          </select>
        </label>
      )}
      {fields.map((f) => (
        <HandField key={f.name} field={f} value={values[f.name] ?? ''} onChange={(v) => set(f.name, v)} />
      ))}
    </div>
  )
}

interface HandField {
  name: string
  type: string
  needed: boolean
  choices?: string[]
  about?: string
  body: boolean
}

/** fieldsOf are what one writes: the text of a message, and the fields of what is sent. */
function fieldsOf(sees: Sight[], called: boolean): HandField[] {
  const root = sees.find((s) => s.name === (called ? 'inputs' : 'signal'))?.shape as Shape | undefined
  const body = called ? root : root?.properties?.body
  const known = Object.entries(body?.properties ?? {}).map(([name, s]) => ({
    name,
    type: typeOf(s),
    needed: !!body?.required?.includes(name),
    choices: s.enum?.map(String),
    about: s.description,
    body: true,
  }))
  const text = { name: 'text', type: 'string', needed: false, body: false }
  if (called) return known
  if (known.length > 0) return root?.required?.includes('text') ? [text, ...known] : known
  return [text, { name: 'body', type: 'object', needed: false, body: false }]
}

function HandField({ field: f, value, onChange }: { field: HandField; value: string; onChange: (v: string) => void }) {
  const box = 'w-full rounded-md border border-line bg-paper px-2 py-1'
  const number = f.type === 'number' || f.type === 'integer'
  return (
    <label className="block">
      <span className="text-[0.9rem]" title={f.about}>
        {titled(f.name)}
        {f.needed && <span className="text-quiet"> (needed)</span>}
      </span>
      {f.choices ? (
        <select value={value} onChange={(e) => onChange(e.target.value)} className={box}>
          <option value="">choose</option>
          {f.choices.map((c) => (
            <option key={c}>{c}</option>
          ))}
        </select>
      ) : f.type === 'object' || f.type === 'array' ? (
        <textarea
          rows={3}
          value={value}
          placeholder="as JSON"
          onChange={(e) => onChange(e.target.value)}
          className={`${box} font-mono text-[0.87rem]`}
        />
      ) : (
        <input
          type={number ? 'number' : 'text'}
          step="any"
          value={value}
          onChange={(e) => onChange(e.target.value)}
          className={box}
        />
      )}
    </label>
  )
}

/** made puts what is written together as what the trigger would bring. */
function made(trigger: string, called: boolean, fields: HandField[], values: Record<string, string>): Source {
  const body: Record<string, unknown> = {}
  let whole: unknown
  for (const f of fields) {
    const v = values[f.name] ?? ''
    if (f.body && v !== '') body[f.name] = read(f, v)
    if (f.name === 'body' && v !== '') whole = read(f, v)
  }
  if (called) return { of: 'inputs', inputs: body }
  const given = whole ?? (Object.keys(body).length ? body : undefined)
  return { of: 'written', signal: { trigger, text: values.text || undefined, body: given as never } }
}

function read(f: HandField, v: string): unknown {
  if (f.type === 'number' || f.type === 'integer') return Number(v)
  if (f.type === 'boolean') return v === 'true' || v === 'yes'
  if (f.type !== 'object' && f.type !== 'array') return v
  try {
    return JSON.parse(v)
  } catch {
    return v
  }
}
