import { valueAt } from '../pointer'

/** Hook is a webhook of the script, and where it stands among the triggers. */
export interface Hook {
  at: number
  id?: string
  path?: string
  accepts?: unknown
}

/** hooksIn lists the webhooks of a script. */
export function hooksIn(tree: unknown): Hook[] {
  const all = valueAt(tree, ['triggers'])
  const triggers = Array.isArray(all) ? (all as { id?: string; webhook?: { path?: string; accepts?: unknown } }[]) : []
  return triggers.flatMap((t, at) => (t?.webhook ? [{ at, id: t.id, ...t.webhook }] : []))
}
