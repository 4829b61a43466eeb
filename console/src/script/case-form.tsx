import type { Field } from '../api'
import { FieldRow } from './field-row'
import { pathOf, valueAt } from './pointer'
import { useBuild, useDraftState } from './use-draft'

/** isCase tells whether a place is one of the ways a decision can go. */
export const isCase = (place: string) => /\/decide\/cases\/\d+$/.test(place)

/** CaseForm is one way of a decision: by a condition, or by what a model makes of a sentence. */
export function CaseForm({ place, fields }: { place: string; fields: Field[] }) {
  const { draft, language } = useBuild()
  const { tree } = useDraftState(draft)
  const at = pathOf(place)
  const one = (valueAt(tree, at) ?? {}) as Record<string, unknown>
  const judged = 'judge' in one
  const decide = place.slice(0, place.lastIndexOf('/cases/'))
  const kind = language.steps.find((k) => k.name === 'decide')
  const row = (name: string) => {
    const f = fields.find((f) => f.name === name)
    return f && <FieldRow field={f} place={`${place}/${name}`} />
  }
  const turn = (to: boolean) => {
    if (to === judged) return
    const gone = to ? ['when'] : ['judge', 'going_by']
    const unsure = valueAt(tree, [...pathOf(decide), 'unsure']) === undefined
    void draft.actAll([
      { do: 'set', path: [...at, to ? 'judge' : 'when'], value: '' },
      ...gone.filter((g) => g in one).map((g) => ({ do: 'set' as const, path: [...at, g], value: undefined })),
      ...(to && unsure ? [{ do: 'set' as const, path: [...pathOf(decide), 'unsure'], value: { do: [] } }] : []),
    ])
  }
  return (
    <>
      <fieldset className="flex flex-wrap gap-x-5 py-1">
        <legend className="sr-only">It holds by</legend>
        {[false, true].map((j) => (
          <label key={String(j)} className="flex items-center gap-2">
            <input type="radio" name={`by ${place}`} checked={judged === j} onChange={() => turn(j)} />
            {j ? 'a sentence that a model judges' : 'a condition'}
          </label>
        ))}
      </fieldset>
      {judged ? (
        <>
          {row('judge')}
          {row('going_by')}
          {kind?.fields
            .filter((f) => f.name === 'floor' || f.name === 'model')
            .map((f) => (
              <FieldRow key={f.name} field={f} place={`${decide}/${f.name}`} />
            ))}
        </>
      ) : (
        row('when')
      )}
      {row('gives')}
    </>
  )
}
