import { Plus } from 'lucide-react'
import type { Field } from '../api'
import type { Draft } from './draft'
import { FieldRow } from './field-row'
import { pathOf, pointerTo, valueAt } from './pointer'
import { useBuild, useDraftState } from './use-draft'

/** isCase tells whether a place is one of the ways a decision can go. */
export const isCase = (place: string) => /\/decide\/cases\/\d+$/.test(place)

/** CaseForm is one way of a decision: by a condition, or by what a model makes of a sentence. */
export function CaseForm({ place, fields }: { place: string; fields: Field[] }) {
  const { draft, language } = useBuild()
  const s = useDraftState(draft)
  const { tree } = s
  const at = pathOf(place)
  const one = (valueAt(tree, at) ?? {}) as Record<string, unknown>
  const judged = 'judge' in one
  const decide = place.slice(0, place.lastIndexOf('/cases/'))
  const kind = language.steps.find((k) => k.name === 'decide')
  const row = (name: string) => {
    const f = fields.find((f) => f.name === name)
    const begin = s.marked.fresh && (name === 'when' || name === 'judge')
    return f && <FieldRow field={f} place={`${place}/${name}`} autoFocus={begin} />
  }
  const more = (made: Record<string, unknown>) => void addCase(draft, decide, made)
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
      <p className="flex gap-4">
        <button type="button" onClick={() => more({ when: '', do: [] })} className="text-indigo">
          <Plus className="inline size-4" aria-hidden="true" /> One more case
        </button>
        <button type="button" onClick={() => more({ judge: '', going_by: '', do: [] })} className="text-indigo">
          <Plus className="inline size-4" aria-hidden="true" /> One more, judged
        </button>
      </p>
    </>
  )
}

/** addCase puts one more case behind the others of a decision, and opens it. */
async function addCase(draft: Draft, decide: string, made: Record<string, unknown>) {
  const { tree } = draft.get()
  const at = pathOf(decide)
  const cases = valueAt(tree, [...at, 'cases'])
  const path = [...at, 'cases', Array.isArray(cases) ? cases.length : 0]
  const line = pointerTo(path)
  if ('judge' in made && valueAt(tree, [...at, 'unsure']) === undefined) await draft.set([...at, 'unsure'], { do: [] })
  await draft.act({ do: 'set', path, value: made }, '', { line, open: line, fresh: true })
}
