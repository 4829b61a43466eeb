import { useState } from 'react'
import { call, type RenamedStep } from '../api'
import type { Draft } from './draft'
import type { InputProps } from './field-input'
import { pathOf, type Path } from './pointer'
import { asName } from './rows'
import { useBuild } from './use-draft'

/** StepName is the name of a step; everything that reads what the step gives follows. */
export function StepName(p: InputProps) {
  const { draft } = useBuild()
  const [typed, setTyped] = useState<string>()
  const was = typeof p.value === 'string' ? p.value : ''
  const leave = () => {
    const to = asName(typed ?? was)
    setTyped(undefined)
    if (to !== was) void rename(draft, pathOf(p.place), was, to)
  }
  return (
    <input
      aria-label={p.label}
      autoFocus={p.autoFocus}
      onFocus={(e) => p.autoFocus && e.target.select()}
      value={typed ?? was}
      onChange={(e) => setTyped(e.target.value)}
      onBlur={leave}
      onKeyDown={(e) => {
        if (e.key === 'Enter') {
          leave()
          p.onDone?.()
        }
        if (e.key === 'Escape') p.onCancel?.()
      }}
      className="w-full rounded-md border border-line bg-paper px-2.5 py-1.5"
    />
  )
}

async function rename(draft: Draft, place: Path, from: string, to: string) {
  if (from === '' || to === '') return draft.set(place, to || undefined, ['id'])
  const body = { text: draft.get().text, from, to }
  const path = `/workflows/${encodeURIComponent(draft.id)}/rename-step`
  const { changes } = await call<RenamedStep>('POST', path, body)
  const acts = changes.map((c) => ({ do: 'set' as const, path: pathOf(c.field), value: c.text }))
  return draft.actAll([...acts, { do: 'set', path: place, value: to }])
}
