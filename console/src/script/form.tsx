import { useState } from 'react'
import type { Field } from '../api'
import { CaseForm, isCase } from './case-form'
import { FieldRow } from './field-row'
import { fieldAt, placeOf, stepKind, triggerKind, type Kinded } from './language'
import { More } from './more'
import { pathOf, pointerTo, valueAt } from './pointer'
import { ToolArgs } from './tool-args'
import { useBuild, useDraftState } from './use-draft'
import { WaysTable } from './ways-table'

/** Form is a step or a trigger opened below its sentence: what it needs first, the rest folded away. */
export function Form({ place }: { place: string }) {
  const { draft, language } = useBuild()
  const { tree } = useDraftState(draft)
  const at = pathOf(place)
  const part = valueAt(tree, at)
  const trigger = at[0] === 'triggers'
  const kind = trigger ? triggerKind(language, part) : stepKind(language, part)
  if (!kind) return <PlaceForm place={place} />
  return (
    <div className="my-1 max-w-4xl rounded-lg border border-line bg-raised px-4 py-2">
      <KindFields kind={kind} place={place} part={part} />
      {!trigger && <Around place={place} part={part} fields={language.step} />}
    </div>
  )
}

/** PlaceForm is what stands at a place that is no step: a way a decision goes, an item of a list, what is handed over. */
function PlaceForm({ place }: { place: string }) {
  const { draft, language } = useBuild()
  const { tree } = useDraftState(draft)
  const field = fieldAt(language, tree, pathOf(place))
  if (!field) return <p className="p-3 text-quiet">This step is of no kind yet. The file shows what stands here.</p>
  const fields = field.holds === 'fields' && field.many !== 'list' ? (field.fields ?? []) : undefined
  return (
    <div className="my-1 max-w-4xl rounded-lg border border-line bg-raised px-4 py-2">
      {fields && isCase(place) ? (
        <CaseForm place={place} fields={fields} />
      ) : fields ? (
        fields
          .filter((f) => f.holds !== 'steps')
          .map((f) => <FieldRow key={f.name} field={f} place={`${place}/${f.name}`} />)
      ) : (
        <FieldRow field={field} place={place} />
      )}
    </div>
  )
}

/** apart are the fields that have a form of their own. */
const apart: Record<string, RegExp> = { tool: /^(args|fill)$/, decide: /^(cases|otherwise|unsure)$/ }

/** KindFields are the fields of its kind. */
function KindFields({ kind, place, part }: { kind: Kinded; place: string; part: unknown }) {
  const at = pathOf(place)
  const [first, rest] = useSorted(
    kind.fields.filter((f) => f.holds !== 'steps' && !apart[kind.kind]?.test(f.name)),
    (f) => valueAt(part, placeOf(kind, f)),
  )
  const { draft } = useBuild()
  const { marked } = useDraftState(draft)
  const begin = marked.fresh ? first.find((f) => isEmpty(valueAt(part, placeOf(kind, f)))) : undefined
  const row = (f: Field) => (
    <FieldRow key={f.name} field={f} place={pointerTo([...at, ...placeOf(kind, f)])} autoFocus={f === begin} />
  )
  return (
    <>
      {first.map(row)}
      {kind.kind === 'tool' && <ToolArgs place={place} />}
      {kind.kind === 'decide' && <WaysTable place={place} />}
      {rest.length > 0 && <More title={`More it can say (${rest.length})`}>{rest.map(row)}</More>}
    </>
  )
}

const isEmpty = (v: unknown): boolean => !v || (typeof v === 'object' && Object.values(v).every((x) => x === ''))

/** Around are the fields that any step may have. */
function Around({ place, part, fields }: { place: string; part: unknown; fields: Field[] }) {
  const at = pathOf(place)
  const order = fields.map((f) => f.name)
  const [set, rest] = useSorted(fields, (f) => valueAt(part, [f.name]))
  const row = (f: Field) => <FieldRow key={f.name} field={f} place={pointerTo([...at, f.name])} order={order} />
  return (
    <>
      {set.filter((f) => f.name !== 'id').map(row)}
      <More title="Its name, when it is left out, what happens if it fails">
        {fields.filter((f) => f.name === 'id').map(row)}
        {rest.map(row)}
      </More>
    </>
  )
}

/** few are so few fields that none is folded away. */
const few = 3

/** useSorted puts what is needed or set first; what stood there as the form was opened stays there. */
function useSorted(fields: Field[], valueOf: (f: Field) => unknown): [Field[], Field[]] {
  const set = (f: Field) => f.required || valueOf(f) !== undefined
  const [begun] = useState(() => fields.filter(set).map((f) => f.name))
  const first = fields.filter((f) => set(f) || begun.includes(f.name))
  if (fields.filter((f) => f.name !== 'id').length <= few) return [fields.filter((f) => f.name !== 'id'), []]
  return [first, fields.filter((f) => !first.includes(f) && f.name !== 'id')]
}
