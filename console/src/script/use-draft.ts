import { createContext, use, useEffect, useState, useSyncExternalStore } from 'react'
import type { Detail, Language, Name, Script, Signal, Tool } from '../api'
import { Draft, type State } from './draft'
import type { Path } from './pointer'
import type { Act } from './splice'

/** Editing is a file that is being edited, of any kind. */
export interface Editing {
  readonly id: string
  get: () => State
  subscribe: (listener: () => void) => () => void
  act: (a: Act, typing?: string) => Promise<void>
  set: (path: Path, value: unknown, order?: string[], typing?: string) => Promise<void>
}

/** Filling is what the fields of a form share, whatever file they are of. */
export interface Filling {
  draft: Editing
  language: Language
  names: Name[]
  tools: Tool[]
  run?: Detail // whose values are shown
  begins?: { sample?: string; signal: Signal } // or what a try would begin with, till there is one
}

export const FormContext = createContext<Filling | null>(null)

export function useForm(): Filling {
  const form = use(FormContext)
  if (!form) throw new Error('this is a part of a form')
  return form
}

/** Build is what the parts of the building page share. */
export interface Build extends Filling {
  draft: Draft
}

export const BuildContext = createContext<Build | null>(null)

export function useBuild(): Build {
  const build = use(BuildContext)
  if (!build) throw new Error('this is a part of the building page')
  return build
}

/** useDraft edits the draft of a workflow as long as the page is open. */
export function useDraft(script: Script, person: string): Draft {
  const [draft] = useState(() => new Draft(script.id, script.text, script.lines, person))
  useEffect(() => {
    draft.begin()
    return () => draft.end()
  }, [draft])
  useEffect(() => draft.heard(script.text), [draft, script.text])
  return draft
}

export function useDraftState(draft: Editing): State {
  return useSyncExternalStore(draft.subscribe, draft.get)
}
