import { Plus, X } from 'lucide-react'
import { useState } from 'react'
import type { Field } from '../api'
import { FieldInput } from './field-input'
import { titled } from './language'
import { pathOf, type Path } from './pointer'
import { codeOf } from './picker'
import { fitting } from './scope'
import { useForm } from './use-draft'
import { useScope } from './value-field'

const record = (v: unknown) =>
  (v !== null && typeof v === 'object' && !Array.isArray(v) ? v : {}) as Record<string, unknown>

interface RowsProps {
  field: Field
  place: string
  value: unknown
  autoFocus?: boolean
}

/** MapRows are the named values of a field that holds many. */
export function MapRows({ field, place, value, autoFocus }: RowsProps) {
  const { draft } = useForm()
  const at = pathOf(place)
  const keys = Object.keys(record(value))
  const { all } = useScope(`${place}/`)
  const likely = (key: string) => {
    const leaf = field.holds === 'text' || field.holds === 'expression' ? fitting(all, key) : undefined
    if (!leaf) return ''
    return field.holds === 'text' ? '${' + codeOf(leaf) + '}' : codeOf(leaf)
  }
  const [added, setAdded] = useState<string>()
  return (
    <div className="space-y-1.5">
      {keys.map((key) => (
        <div key={key} className="grid grid-cols-[9rem_minmax(0,1fr)_auto] items-start gap-2">
          <KeyName at={[...at, key]} name={key} />
          <FieldInput
            field={{ ...field, many: undefined }}
            label={titled(key)}
            place={`${place}/${key}`}
            value={record(value)[key]}
            autoFocus={key === added}
            onSet={(v, typing) => void draft.set([...at, key], v ?? '', undefined, typing ? 'row' : '')}
          />
          <Remove label={titled(key)} onClick={() => void draft.set(keys.length > 1 ? [...at, key] : at, undefined)} />
        </div>
      ))}
      <NewRow
        taken={keys}
        label={`Name of one more value of ${titled(field.name)}`}
        autoFocus={keys.length === 0 && autoFocus}
        onAdd={(key) => {
          setAdded(likely(key) ? undefined : key) // what is filled in already needs nobody
          const lists = Object.values(record(value)).some((v) => Array.isArray(v))
          void draft.set([...at, key], lists ? [''] : likely(key))
        }}
      />
    </div>
  )
}

/** KeyName is the name of a value, which can be changed. */
function KeyName({ at, name }: { at: Path; name: string }) {
  const { draft } = useForm()
  const [typed, setTyped] = useState<string>()
  const leave = () => {
    const to = asName(typed ?? '')
    setTyped(undefined)
    if (to && to !== name) void draft.act({ do: 'rename', path: at, to })
  }
  return (
    <input
      aria-label={`Name of ${titled(name)}`}
      value={typed ?? name}
      onChange={(e) => setTyped(e.target.value)}
      onBlur={leave}
      onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
      className="w-full rounded-md border border-transparent bg-transparent px-1.5 py-1.5 hover:border-line"
    />
  )
}

/** asName makes a name of words: small letters, digits and underscores. */
export const asName = (words: string) =>
  words
    .trim()
    .toLowerCase()
    .replaceAll(/[^a-z0-9_]+/g, '_')
    .replaceAll(/^_+|_+$/g, '')

/** NewRow asks for the name of one more value. */
export function NewRow(p: { taken: string[]; label?: string; autoFocus?: boolean; onAdd: (key: string) => void }) {
  const { taken, onAdd } = p
  const [name, setName] = useState('')
  const key = asName(name)
  const add = () => {
    if (!key || taken.includes(key)) return
    onAdd(key)
    setName('')
  }
  return (
    <span className="flex items-center gap-2">
      <input
        aria-label={p.label ?? 'Name of one more value'}
        autoFocus={p.autoFocus}
        placeholder="one more, called…"
        value={name}
        onChange={(e) => setName(e.target.value)}
        onKeyDown={(e) => {
          if (e.key !== 'Enter') return
          e.preventDefault() // what is focused next would have it too
          add()
        }}
        className="w-44 rounded-md border border-line bg-paper px-2 py-1"
      />
      <button
        type="button"
        disabled={!key || taken.includes(key)}
        onClick={add}
        className="text-indigo disabled:opacity-50"
      >
        <Plus className="inline size-4" aria-hidden="true" /> Add
      </button>
    </span>
  )
}

/** ListRows are the items of a field that holds a list. */
export function ListRows({ field, place, value, autoFocus }: RowsProps) {
  const { draft } = useForm()
  const at = pathOf(place)
  const items = Array.isArray(value) ? (value as unknown[]) : []
  return (
    <div className="space-y-1.5">
      {items.map((item, i) => (
        <div key={i} className="grid grid-cols-[minmax(0,1fr)_auto] items-start gap-2">
          <FieldInput
            field={{ ...field, many: undefined }}
            label={`${titled(field.name)} ${i + 1}`}
            autoFocus={i === 0 && autoFocus}
            place={`${place}/${i}`}
            value={item}
            onSet={(v, typing) => void draft.set([...at, i], v ?? '', undefined, typing ? 'row' : '')}
          />
          <Remove
            label={`${titled(field.name)} ${i + 1}`}
            onClick={() => void draft.set(items.length > 1 ? [...at, i] : at, undefined)}
          />
        </div>
      ))}
      <button type="button" onClick={() => void draft.set([...at, items.length], '')} className="text-indigo">
        <Plus className="inline size-4" aria-hidden="true" /> One more
      </button>
    </div>
  )
}

function Remove({ label, onClick }: { label: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={`Remove ${label}`}
      onClick={onClick}
      className="p-1.5 text-quiet hover:text-madder"
    >
      <X className="size-4" aria-hidden="true" />
    </button>
  )
}
