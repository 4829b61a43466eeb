// New steps and triggers, with what they need left to be filled in.
import type { Field, Language } from '../api'

type Values = Record<string, unknown>

/** blank is what stands in a needed field before anybody filled it in. */
function blank(f: Field): unknown {
  if (f.holds === 'fields') return f.many === 'list' ? [needed(f.fields ?? [])] : needed(f.fields ?? [])
  if (f.holds === 'steps') return []
  if (f.many === 'list') return ['']
  if (f.many === 'map') return {}
  return ''
}

/** needed are the fields something cannot be without; those that hold steps come with none. */
export function needed(fields: Field[]): Values {
  const out: Values = {}
  for (const f of fields) if (f.required || f.holds === 'steps') out[f.name] = blank(f)
  return out
}

/** part makes one more part of a list of them; what names it gets a name. */
export function part(fields: Field[], name: string): Values {
  const out = needed(fields)
  for (const f of fields) if (f.required && f.holds === 'name') out[f.name] = name
  return out
}

/** named are the kinds whose results are read by other steps. */
const unnamed = new Set(['say', 'label', 'end_run', 'answer_caller', 'section', 'remember'])

/** step makes a step of a kind. */
export function step(language: Language, kind: string, taken: Set<string>, more: Values = {}, id = kind): Values {
  const k = language.steps.find((k) => k.name === kind)
  if (!k) throw new Error(`there is no kind of step ${kind}`)
  const name: Values = unnamed.has(kind) ? {} : { id: unused(id, taken) }
  const own = { ...needed(k.fields), ...starting[kind], ...more }
  return k.beside ? { ...name, ...own } : { ...name, [kind]: own }
}

/** starting is what a step of a kind is begun with beside what it needs. */
const starting: Record<string, Values> = {
  compute: { compute: {} },
  decide: { cases: [{ when: '', do: [] }], otherwise: { do: [] } },
  together: {
    branches: [
      { id: 'one', do: [] },
      { id: 'two', do: [] },
    ],
  },
  repeat: { rounds_at_most: 3 },
  wait: { for: '1h' },
  say: { text: '' },
  question: { text: '' },
}

/** trigger makes a trigger of a kind; what is an address in it is that of the workflow. */
export function trigger(language: Language, kind: string, taken: Set<string>, workflow = ''): Values {
  const k = language.triggers.find((k) => k.name === kind)
  if (!k) throw new Error(`there is no kind of trigger ${kind}`)
  const own: Values = { ...needed(k.fields), ...(kind === 'schedule' ? { cron: '0 8 * * 1-5' } : {}) }
  if (own.path === '') own.path = workflow
  return { id: unused(kind, taken), [kind]: own }
}

/** unused is a name nothing has yet. */
export function unused(name: string, taken: Set<string>): string {
  const plain = name
    .toLowerCase()
    .replaceAll(/[^a-z0-9_]+/g, '_')
    .replace(/^(\d)/, '_$1')
  if (!taken.has(plain)) return plain
  for (let n = 2; ; n++) if (!taken.has(`${plain}_${n}`)) return `${plain}_${n}`
}
