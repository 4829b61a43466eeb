import type { Sample } from '../../api'
import { partOf } from '../places'
import { schemaOf } from '../schema'
import { useBuild, useDraftState } from '../use-draft'
import { hooksIn } from './hooks'
import type { Source } from './use-trying'

/** AsAccepted has a webhook that takes anything yet accept what looks like a sample. */
export function AsAccepted({ source, samples }: { source?: Source; samples: Sample[] }) {
  const { draft } = useBuild()
  const { tree, lines } = useDraftState(draft)
  const signal = source?.of === 'sample' ? samples.find((s) => s.name === source.name)?.signal : undefined
  const hook = hooksIn(tree).find((h) => h.id === signal?.trigger && h.accepts === undefined)
  if (!hook || signal?.body === null || typeof signal?.body !== 'object') return null
  const accept = () => {
    const line = lines.find((l) => l.field?.startsWith(`/triggers/${hook.at}`))
    const mark = line && { line: line.field, open: partOf(line) } // what it accepts is seen, and can be changed
    const path = ['triggers', hook.at, 'webhook', 'accepts']
    void draft.act({ do: 'set', path, value: schemaOf(signal.body) }, '', mark)
  }
  return (
    <button type="button" onClick={accept} className="mt-1.5 text-[0.93rem] text-indigo">
      Accept what looks like this
    </button>
  )
}
