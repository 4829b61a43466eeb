// Expressions taken apart, as the service gives them, and what is done to them.
import type { Language, WorkedPart } from '../../api'

export interface Form {
  is: string
  path?: string[]
  value?: unknown
  name?: string
  as?: string
  of?: Form[]
  keys?: string[]
  text?: string
}

export type Parts = Record<string, WorkedPart>
export type Link = Language['links'][number]
export type Comparison = Language['comparisons'][number]

export const literal = (value: unknown): Form => ({ is: 'literal', value })
export const nothing = literal('')

/** isBlank tells an operand that is still to be chosen. */
export const isBlank = (f: Form | undefined) => !f || (f.is === 'literal' && f.value === '')

/** valueForm reads a path such as signal.body.kg. */
export const valueForm = (code: string): Form => ({ is: 'value', path: code.replaceAll('.?', '.').split('.') })

/** replaced puts another form in the place of a part. */
export function replaced(f: Form, i: number, by: Form): Form {
  return { ...f, of: f.of!.map((x, n) => (n === i ? by : x)) }
}

/** linked does something more to a value. */
export function linked(f: Form, link: Link, item: string): Form {
  const usual = (t: NonNullable<Link['takes']>[number]): Form =>
    t.holds === 'condition' ? row(item) : t.each ? { is: 'value', path: [item] } : literal(t.usual ?? '')
  const takes = (link.takes ?? []).map(usual)
  const as = link.takes?.some((t) => t.each) ? item : undefined
  return { is: 'link', name: link.name, as, of: [f, ...takes] }
}

/** row is a new row of a condition, about one item or something that is still to be chosen. */
export const row = (item?: string): Form => ({
  is: 'compare',
  name: 'is',
  of: [item ? { is: 'value', path: [item] } : nothing, nothing],
})

/** isCondition tells what is built as rows. */
export const isCondition = (f: Form) => ['compare', 'all', 'any', 'not'].includes(f.is)

/** itemName is how one item is called, unlike the names around it. */
export function itemName(taken: string[]): string {
  const free = ['one', 'each', 'other', 'inner'].find((n) => !taken.includes(n))
  return free ?? `item${taken.length}`
}
