import type { Sample } from '../../api'
import { schemaOf } from '../schema'
import { useBuild, useDraftState } from '../use-draft'
import { hooksIn } from './hooks'
import type { Source } from './use-trying'

/** AsAccepted has a webhook that takes anything yet accept what looks like a sample. */
export function AsAccepted({ source, samples }: { source?: Source; samples: Sample[] }) {
  const { draft } = useBuild()
  const { tree } = useDraftState(draft)
  const signal = source?.of === 'sample' ? samples.find((s) => s.name === source.name)?.signal : undefined
  const hook = hooksIn(tree).find((h) => h.id === signal?.trigger && h.accepts === undefined)
  if (!hook || signal?.body === null || typeof signal?.body !== 'object') return null
  return (
    <button
      type="button"
      onClick={() => void draft.set(['triggers', hook.at, 'webhook', 'accepts'], schemaOf(signal.body))}
      className="mt-1.5 text-[0.93rem] text-indigo"
    >
      Accept what looks like this
    </button>
  )
}
