import type { Detail, Line, Step } from '../api'

/** laid finds what each line did in a run: by its name, which stays when lines move; else by its place. */
export function laid(run: Detail | undefined, lines: Line[]): Map<string, Step> {
  const byName = new Map<string, Step>()
  const byPlace = new Map<string, Step>()
  for (const s of run?.steps.toReversed() ?? []) {
    const first = (was?: Step) => (s.status || !was ? s : was) // items and rounds stand under the first of them
    if (s.id && s.kind !== 'trigger') byName.set(s.id, first(byName.get(s.id)))
    byPlace.set(s.script, first(byPlace.get(s.script)))
  }
  const out = new Map<string, Step>()
  for (const l of lines) {
    const step = l.id && l.kind !== 'trigger' ? byName.get(l.id) : byPlace.get(l.path)
    if (step && step.kind === l.kind) out.set(l.path, step)
  }
  return out
}

export const stepOf = (run: Detail, line: Line): Step | undefined => laid(run, [line]).get(line.path)
