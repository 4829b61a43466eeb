// What a place of a file can hold, as the service describes its language.
import type { Field, Language } from '../api'
import { valueAt, type Path } from './pointer'

/** Kinded is a part of a file that is of one of several kinds, such as a step. */
export interface Kinded {
  kind: string
  help: string
  beside: boolean
  fields: Field[] // of the kind
}

const record = (v: unknown): Record<string, unknown> =>
  v !== null && typeof v === 'object' && !Array.isArray(v) ? (v as Record<string, unknown>) : {}

/** stepKind tells of what kind a step is. */
export function stepKind(language: Language, step: unknown): Kinded | undefined {
  const found = language.steps.find((k) => k.name in record(step))
  return found && { kind: found.name, help: found.help, beside: !!found.beside, fields: found.fields }
}

export function triggerKind(language: Language, trigger: unknown): Kinded | undefined {
  const found = language.triggers.find((k) => k.name in record(trigger))
  return found && { kind: found.name, help: found.help, beside: false, fields: found.fields }
}

/** placeOf is where a field of a kind stands below the part that is of that kind. */
export const placeOf = (k: Kinded, field: Field): Path => (k.beside ? [field.name] : [k.kind, field.name])

/** one is a field that holds one of those that many hold. */
const one = (f: Field): Field => ({ ...f, many: undefined, required: false })

/** fieldAt finds the field a place of a workflow's file is; nothing where the language has none there. */
export function fieldAt(language: Language, tree: unknown, path: Path): Field | undefined {
  let fields = language.files.find((f) => f.name === 'workflow')?.fields ?? []
  let field: Field | undefined
  for (let i = 0; i < path.length; i++) {
    if (field?.many) {
      field = one(field)
      fields = field.fields ?? []
      continue
    }
    if (field && (field.holds === 'steps' || field.holds === 'triggers')) {
      const part = valueAt(tree, path.slice(0, i + 1))
      fields = inside(language, field.holds, part)
      field = undefined
      continue
    }
    const name = String(path[i])
    const found: Field | undefined = fields.find((f) => f.name === name)
    if (!found) return field?.holds === 'schema' ? field : undefined
    field = found
    fields = found.fields ?? []
  }
  return field
}

/** inside are the fields of a step or trigger, those of its kind as they stand there. */
function inside(language: Language, holds: string, part: unknown): Field[] {
  if (holds === 'triggers') {
    const kind = triggerKind(language, part)
    return kind ? [idOfTrigger, group(kind)] : [idOfTrigger]
  }
  const kind = stepKind(language, part)
  if (!kind) return language.step
  return kind.beside ? [...language.step, ...kind.fields] : [...language.step, group(kind)]
}

const idOfTrigger: Field = { name: 'id', holds: 'name', help: 'Its name in expressions.' }

const group = (k: Kinded): Field => ({ name: k.kind, holds: 'fields', help: k.help, fields: k.fields })

/** stepOf is the place of the innermost step or trigger a place is in. */
export function stepOf(path: Path): Path | undefined {
  for (let n = path.length; n >= 2; n--) {
    const list = path[n - 2]
    if (typeof path[n - 1] === 'number' && (list === 'steps' || list === 'do' || list === 'triggers'))
      return path.slice(0, n)
  }
  return undefined
}

/** titled says the name of a field in words. */
export const titled = (name: string) => name.replaceAll('_', ' ')

/** fieldsIn are the fields a place of a workflow's file can have that is a map. */
export function fieldsIn(language: Language, tree: unknown, path: Path): Field[] {
  if (path.length === 0) return language.files.find((f) => f.name === 'workflow')?.fields ?? []
  const part = stepOf(path)
  if (part && part.length === path.length) {
    const trigger = part[part.length - 2] === 'triggers'
    const known = inside(language, trigger ? 'triggers' : 'steps', valueAt(tree, path))
    const kinds = trigger ? language.triggers : language.steps
    const kind = known.length > (trigger ? 1 : language.step.length)
    return kind ? known : [...known, ...kinds.map((k) => ({ name: k.name, holds: 'fields' as const, help: k.help }))]
  }
  return fieldAt(language, tree, path)?.fields ?? []
}
