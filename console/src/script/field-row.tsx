import { Plus } from 'lucide-react'
import type { Field } from '../api'
import { FieldInput } from './field-input'
import { part } from './fresh'
import { titled } from './language'
import { pathOf, pointerTo, valueAt } from './pointer'
import { ListRows, MapRows, NewRow } from './rows'
import { useForm, useDraftState } from './use-draft'

interface RowProps {
  field: Field
  place: string
  order?: string[]
  autoFocus?: boolean
}

/** FieldRow is one field of a form: its name, what it is for, and what it holds. */
export function FieldRow(p: RowProps) {
  const { field } = p
  return (
    <div className="grid gap-x-4 gap-y-0.5 py-1.5 lg:grid-cols-[9.5rem_minmax(0,1fr)]">
      <div className="pt-1">
        <span className="inline-block font-semibold first-letter:uppercase">{titled(field.name)}</span>
        {field.required && <span className="text-quiet"> (needed)</span>}
      </div>
      <div className="min-w-0">
        <FieldBody {...p} />
        <p className="mt-0.5 text-[0.84rem] text-quiet">{field.help}</p>
      </div>
    </div>
  )
}

/** FieldBody is what a field holds, without its name. */
export function FieldBody({ field, place, order, autoFocus }: RowProps) {
  const { draft } = useForm()
  const { tree } = useDraftState(draft)
  const at = pathOf(place)
  const value = valueAt(tree, at)
  if (field.holds === 'fields' && field.many === 'list') return <Parts field={field} place={place} value={value} />
  if (field.holds === 'fields' && field.many === 'map') return <NamedParts field={field} place={place} value={value} />
  if (field.holds === 'fields') return <Group field={field} place={place} value={value} />
  if (field.many === 'map') return <MapRows field={field} place={place} value={value} autoFocus={autoFocus} />
  if (field.many === 'list') return <ListRows field={field} place={place} value={value} autoFocus={autoFocus} />
  return (
    <FieldInput
      field={field}
      label={titled(field.name)}
      place={place}
      value={value}
      autoFocus={autoFocus}
      onSet={(v, typing) => void draft.set(at, v, order, typing ? 'field' : '')}
    />
  )
}

/** Group are the fields of a field that is a map of fields, or a word in its place. */
function Group({ field, place, value }: { field: Field; place: string; value: unknown }) {
  const { draft } = useForm()
  const at = pathOf(place)
  if (value === undefined)
    return (
      <button
        type="button"
        onClick={() => void draft.set(at, field.words?.[0] ?? {})}
        className="rounded-md border border-dashed border-line px-2.5 py-1 text-indigo"
      >
        <Plus className="inline size-4" aria-hidden="true" /> {titled(field.name)}
      </button>
    )
  return (
    <div className="rounded-md border border-line p-2">
      {typeof value === 'string' && <p className="font-semibold">{titled(value)}</p>}
      {typeof value !== 'string' &&
        field.fields
          ?.filter((f) => f.holds !== 'steps')
          .map((f) => <FieldRow key={f.name} field={f} place={`${place}/${f.name}`} />)}
      <button type="button" onClick={() => void draft.set(at, undefined)} className="text-[0.9rem] text-madder">
        Take {titled(field.name)} out
      </button>
    </div>
  )
}

/** NamedParts are the maps of fields of a map, each under its name, such as the models of a server. */
function NamedParts({ field, place, value }: { field: Field; place: string; value: unknown }) {
  const { draft } = useForm()
  const at = pathOf(place)
  const names = value !== null && typeof value === 'object' ? Object.keys(value) : []
  const one = titled(field.name).replace(/s$/, '')
  return (
    <div className="space-y-2">
      {names.map((name) => (
        <fieldset key={name} className="rounded-md border border-line p-2">
          <legend className="px-1 text-[0.87rem] text-quiet">
            {one} {name}
          </legend>
          {field.fields?.map((f) => (
            <FieldRow key={f.name} field={f} place={pointerTo([...at, name, f.name])} />
          ))}
          <button
            type="button"
            onClick={() => void draft.set([...at, name], undefined)}
            className="text-[0.9rem] text-madder"
          >
            Remove this {one}
          </button>
        </fieldset>
      ))}
      <NewRow
        taken={names}
        onAdd={(name) => void draft.set([...at, name], part(field.fields ?? [], name))}
        label={`Name of one more ${one}`}
      />
    </div>
  )
}

/** Parts are the maps of fields of a list, such as the fields of a form. */
function Parts({ field, place, value }: { field: Field; place: string; value: unknown }) {
  const { draft } = useForm()
  const at = pathOf(place)
  const parts = Array.isArray(value) ? (value as unknown[]) : []
  const one = titled(field.name).replace(/s$/, '')
  const add = () => void draft.set([...at, parts.length], part(field.fields ?? [], `${one}_${parts.length + 1}`))
  return (
    <div className="space-y-2">
      {parts.map((_, i) => (
        <fieldset key={i} className="rounded-md border border-line p-2">
          <legend className="px-1 text-[0.87rem] text-quiet">
            {one} {i + 1}
          </legend>
          {field.fields
            ?.filter((f) => f.holds !== 'steps')
            .map((f) => (
              <FieldRow key={f.name} field={f} place={pointerTo([...at, i, f.name])} />
            ))}
          <button
            type="button"
            onClick={() => void draft.set([...at, i], undefined)}
            className="text-[0.9rem] text-madder"
          >
            Remove this {one}
          </button>
        </fieldset>
      ))}
      <button type="button" onClick={add} className="text-indigo">
        <Plus className="inline size-4" aria-hidden="true" /> One more {one}
      </button>
    </div>
  )
}
