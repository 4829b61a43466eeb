import { useState } from 'react'
import type { Field, Name, Tool } from '../api'
import { plain } from '../words'
import { Choose, type Option } from './choose'
import { ExpressionField } from './expression/expression-field'
import { ListRows, MapRows } from './rows'
import { SchemaInput } from './schema'
import { titled } from './language'
import { StepName } from './step-name'
import { useForm } from './use-draft'
import { ValueField } from './value-field'
import { later } from '../parts/later'

const Definition = later(() => import('../making/definition').then((m) => m.default), null)
const Connect = later(() => import('../making/connect').then((m) => m.default), null)

export interface InputProps {
  field: Field
  label: string
  place: string
  value: unknown
  autoFocus?: boolean
  onSet: (value: unknown, typing?: boolean) => void // nothing takes it out
  onDone?: () => void
  onCancel?: () => void
}

/** FieldInput is what one value of a field is changed with, by what the field holds. */
export function FieldInput(p: InputProps) {
  const { field } = p
  if (Array.isArray(p.value)) return <ListRows field={field} place={p.place} value={p.value} />
  if (field.any) return <AnyValue {...p} />
  if (p.value !== null && typeof p.value === 'object' && (field.holds === 'text' || field.holds === 'words'))
    return <MapRows field={field} place={p.place} value={p.value} />
  switch (field.holds) {
    case 'expression':
      return <Expression {...p} />
    case 'text':
    case 'prose':
      return <Words {...p} />
    case 'flag':
      return <Flag {...p} />
    case 'whole':
    case 'number':
      return <Line {...p} type="number" read={(s) => (s === '' ? undefined : Number(s))} />
    case 'duration':
    case 'span':
      return <Duration {...p} />
    case 'code':
      return <Long {...p} />
    case 'schema':
      return <SchemaInput {...p} />
    case 'choice':
      return <Choice {...p} options={(field.choices ?? []).map((c) => ({ value: c, title: titled(c) }))} />
    case 'tool':
    case 'agent':
    case 'model':
    case 'workflow':
    case 'table':
    case 'connection':
    case 'people':
      return <Named {...p} />
    case 'name':
      if (field.name === 'id' && p.place.startsWith('/steps/')) return <StepName {...p} />
      return <Line {...p} type="text" read={(s) => (s === '' ? undefined : s)} />
    default:
      return <Line {...p} type="text" read={(s) => (s === '' ? undefined : s)} />
  }
}

const asText = (v: unknown) => (v === undefined || v === null ? '' : typeof v === 'string' ? v : JSON.stringify(v))

/** literal reads what is not a text as what it is: numbers and yes or no keep their kinds. */
function literal(text: string, was: unknown): unknown {
  if (text === '') return undefined
  if (typeof was === 'number' && /^-?\d+(\.\d+)?$/.test(text)) return Number(text)
  if (typeof was === 'boolean' && (text === 'true' || text === 'false')) return text === 'true'
  return text
}

function Words(p: InputProps) {
  const lines = p.field.holds === 'prose' || /^(text|prompt|show|intro|task|because)$/.test(p.field.name)
  const value = asText(p.value).replace(/\n$/, '')
  return (
    <ValueField
      label={p.label}
      place={p.place}
      mode="text"
      lines={lines || value.includes('\n')}
      value={value}
      hint={p.field.example && `such as ${p.field.example}`}
      autoFocus={p.autoFocus}
      onChange={(text) => p.onSet(literal(text, p.value), true)}
      onDone={p.onDone}
      onCancel={p.onCancel}
    />
  )
}

/** AnyValue is a text, or several values, each under its name. */
function AnyValue(p: InputProps) {
  const several = !!p.value && typeof p.value === 'object'
  return (
    <div className="space-y-1.5">
      {!several && <Words key="words" {...p} />}
      {!several && !p.value && <p className="text-[0.84rem] text-quiet">or several values:</p>}
      {(several || !p.value) && (
        <MapRows
          key="rows"
          field={{ ...p.field, any: undefined, example: undefined }}
          place={p.place}
          value={p.value}
        />
      )}
    </div>
  )
}

const conditions = new Set(['when', 'enough', 'match', 'check'])

function Expression(p: InputProps) {
  return (
    <ExpressionField
      label={p.label}
      place={p.place}
      condition={conditions.has(p.field.name)}
      value={asText(p.value)}
      hint={p.field.example && `such as ${p.field.example}`}
      autoFocus={p.autoFocus}
      onChange={(text) => p.onSet(text.trim() === '' ? undefined : text, true)}
      onDone={p.onDone}
      onCancel={p.onCancel}
    />
  )
}

function Flag(p: InputProps) {
  const on = p.value === undefined ? p.field.default === 'true' : p.value === true
  return (
    <label className="flex items-center gap-2 py-1">
      <input
        type="checkbox"
        autoFocus={p.autoFocus}
        checked={on}
        onChange={(e) =>
          p.onSet(String(e.target.checked) === (p.field.default ?? 'false') ? undefined : e.target.checked)
        }
        className="size-4 accent-indigo"
      />
      <span>{p.label}</span>
    </label>
  )
}

const box = 'w-full rounded-md border border-line bg-paper px-2.5 py-1.5'

/** Line is one line of words or a number; what is typed is kept as it is typed. */
function Line(p: InputProps & { type: string; read: (s: string) => unknown }) {
  const [typed, setTyped] = useState<string>()
  return (
    <input
      aria-label={p.label}
      autoFocus={p.autoFocus}
      onFocus={(e) => p.autoFocus && e.target.select()}
      type={p.type}
      step="any"
      min={p.field.least || undefined}
      max={p.field.most || undefined}
      value={typed ?? asText(p.value)}
      placeholder={p.field.default ? `${p.field.default}, as usual` : p.field.example && `such as ${p.field.example}`}
      onChange={(e) => {
        setTyped(e.target.value)
        p.onSet(p.read(e.target.value), true)
      }}
      onBlur={() => setTyped(undefined)}
      onKeyDown={(e) => {
        if (e.key === 'Enter') p.onDone?.()
        if (e.key === 'Escape') p.onCancel?.()
      }}
      className={box}
    />
  )
}

const units: Option[] = [
  { value: 's', title: 'seconds' },
  { value: 'm', title: 'minutes' },
  { value: 'h', title: 'hours' },
  { value: 'd', title: 'days' },
]

const spanForm = /^(\d+)(ms|s|m|h|d|wd)$/

/** Duration is a number and what it counts. */
function Duration(p: InputProps) {
  const [, n = '', given] = spanForm.exec(asText(p.value)) ?? []
  const unit = given ?? spanForm.exec(p.field.default ?? '')?.[2] ?? (p.field.holds === 'span' ? 'd' : 'm')
  const set = (n: string, unit: string) => p.onSet(n === '' ? undefined : `${n}${unit}`, true)
  const known = p.field.holds === 'span' ? [...units, { value: 'wd', title: 'working days' }] : units
  return (
    <span className="flex gap-2">
      <input
        aria-label={p.label}
        autoFocus={p.autoFocus}
        type="number"
        min={1}
        value={n}
        placeholder={/^\d+/.exec(p.field.default ?? '')?.[0]}
        onChange={(e) => set(e.target.value, unit)}
        onKeyDown={(e) => {
          if (e.key === 'Enter') p.onDone?.()
          if (e.key === 'Escape') p.onCancel?.()
        }}
        className={`${box} max-w-28`}
      />
      <select
        aria-label={`${p.label}: counted in`}
        value={unit}
        onChange={(e) => set(n, e.target.value)}
        className="rounded-md border border-line bg-paper px-2 py-1.5"
      >
        {known.map((u) => (
          <option key={u.value} value={u.value}>
            {u.title}
          </option>
        ))}
        {unit === 'ms' && <option value="ms">milliseconds</option>}
      </select>
    </span>
  )
}

/** Long is code, on many lines. */
function Long(p: InputProps) {
  const [typed, setTyped] = useState<string>()
  const text = typed ?? asText(p.value)
  return (
    <textarea
      aria-label={p.label}
      autoFocus={p.autoFocus}
      rows={Math.min(16, Math.max(4, text.split('\n').length + 1))}
      value={text}
      onChange={(e) => {
        setTyped(e.target.value)
        p.onSet(e.target.value === '' ? undefined : e.target.value, true)
      }}
      onBlur={() => setTyped(undefined)}
      onKeyDown={(e) => e.key === 'Escape' && p.onCancel?.()}
      className={`${box} font-mono text-[0.87rem]`}
    />
  )
}

function Choice(p: InputProps & { options: Option[] }) {
  const value = asText(p.value) || p.field.default || ''
  return (
    <select
      aria-label={p.label}
      autoFocus={p.autoFocus}
      value={value}
      onChange={(e) => {
        p.onSet(e.target.value === p.field.default ? undefined : e.target.value)
        p.onDone?.()
      }}
      onKeyDown={(e) => e.key === 'Escape' && p.onCancel?.()}
      className={box}
    >
      {value === '' && <option value="">choose</option>}
      {p.options.map((o) => (
        <option key={o.value} value={o.value}>
          {o.title}
        </option>
      ))}
    </select>
  )
}

/** Named chooses something of the workspace by its name. */
function Named(p: InputProps) {
  const { draft, names, tools } = useForm()
  const [making, make] = useState(false)
  const options = p.field.holds === 'tool' ? tools.map(toolOption) : among(names, p.field)
  const choose = (v: string) => {
    make(false)
    if (p.field.holds !== 'tool') p.onSet(v) // of a connection that was made for a tool, one is chosen now
    p.onDone?.()
  }
  const title = makes(p.field)
  return (
    <>
      <Choose
        label={p.label}
        autoFocus={p.autoFocus}
        value={asText(p.value)}
        options={options}
        make={title ? { title, open: () => make(true) } : undefined}
        onChoose={(v) => {
          p.onSet(v)
          p.onDone?.()
        }}
      />
      {making &&
        (p.field.holds === 'table' ? (
          <Definition kind="table" title="New table" onMade={choose} onClose={() => make(false)} />
        ) : (
          <Connect
            kind={p.field.kind}
            called={p.field.kind === 'signing_key' ? keyOf(draft.id) : undefined}
            onMade={choose}
            onClose={() => make(false)}
          />
        ))}
    </>
  )
}

/** keyOf is what the key of a workflow is called that has none yet. */
const keyOf = (workflow: string) => `${plain(workflow).replace(/^./, (c) => c.toUpperCase())} key`

/** makes says what can be made where it is not there to be chosen. */
function makes(field: Field): string | undefined {
  if (field.holds === 'tool') return 'Connect something that is not there yet…'
  if (field.holds === 'table') return 'Make a new table…'
  if (field.holds === 'connection') return field.kind ? `Make a new ${titled(field.kind)}…` : 'Make a new connection…'
  return undefined
}

export const toolOption = (t: Tool): Option => ({
  value: t.name,
  title: t.title,
  group: t.connection,
  about: t.description,
})

function among(names: Name[], field: Field): Option[] {
  return names
    .filter((n) => n.holds === field.holds && (!field.kind || n.kind === field.kind))
    .map((n) => ({ value: n.name, title: n.title, about: n.about }))
}
