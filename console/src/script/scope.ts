// What may be read at a line, as a tree with the values of a run.
import type { Detail, Line, Sight, Signal } from '../api'
import { pathOf, valueAt, type Path } from './pointer'
import { stepOf } from './runs'
import type { State } from './draft'

/** Leaf is a value that may be read. */
export interface Leaf {
  code: string // as an expression reads it
  name: string // the last part of it
  kind: string
  optional: boolean
  value?: unknown // in the run that is shown
  inside: Leaf[]
  from: string // the step or signal it belongs to
}

interface Shape {
  type?: string | string[]
  properties?: Record<string, Shape>
  items?: Shape
  required?: string[]
  enum?: unknown[]
  anyOf?: Shape[]
}

const deepest = 6

/** before are the lines whose values may be read on a line: what came before it, and around it. */
export function before(lines: Line[], line: Line): Line[] {
  const at = lines.indexOf(line)
  return lines.slice(0, at).filter((l) => {
    if (!l.adds?.length) return false
    const block = l.kind === 'case' ? l.path : l.path.slice(0, Math.max(0, l.path.lastIndexOf('/')))
    return block === '' || line.path.startsWith(block + '/')
  })
}

/** seenAt is what may be read where a place of the file is, as trees and by its code. */
export function seenAt(s: Pick<State, 'lines' | 'sees' | 'tree'>, place: string, run?: Detail, begins?: Signal) {
  const line = s.lines.findLast((l) => l.field !== undefined && (place === l.field || place.startsWith(l.field + '/')))
  const own = earlier(s.tree, pathOf(place), run && line && stepOf(run, line)?.output)
  const all = [...own, ...leaves(s.sees, line ? before(s.lines, line) : [], run, begins)]
  const byCode = new Map<string, Leaf>()
  const visit = (l: Leaf) => {
    byCode.set(l.code.replaceAll('.?', '.'), l)
    l.inside.forEach(visit)
  }
  all.forEach(visit)
  return { all, byCode }
}

/** leaves gives what is in scope as trees, the nearest first; begins is what a try would begin with. */
export function leaves(sees: Sight[], above: Line[], run?: Detail, begins?: Signal): Leaf[] {
  const near = above
    .toReversed()
    .flatMap((l) => (l.adds ?? []).map((s) => leafOf(s, given(run, l, s.name, above), l.id ?? '')))
  const signal = run?.signal ?? begins
  const all = sees.map((s) => leafOf(s, s.name === 'signal' ? signal : inputsOf(s, run), s.name))
  return [...near, ...all]
}

/** given is what a step gave in a run; inside a block that goes through a list, what its first item was. */
function given(run: Detail | undefined, line: Line, name: string, above: Line[]): unknown {
  if (!run) return undefined
  if (line.kind !== 'case') return name === line.id ? stepOf(run, line)?.output : undefined
  const around = above.findLast((l) => line.path.startsWith(l.path + '/') && l.kind !== 'case')
  const took = around && (stepOf(run, around)?.input as { of?: unknown } | null | undefined)?.of
  if (!Array.isArray(took)) return undefined
  return name === 'item' ? took[0] : name === 'index' ? 0 : undefined
}

/** earlier are the values of a step that stand before one of them, which may read them. */
export function earlier(tree: unknown, place: Path, given: unknown): Leaf[] {
  const at = place.lastIndexOf('compute')
  const all = at < 0 ? undefined : valueAt(tree, place.slice(0, at + 1))
  if (all === null || typeof all !== 'object' || at !== place.length - 2) return []
  const names = Object.keys(all)
  const before = names.slice(0, names.indexOf(String(place[at + 1])))
  return before.toReversed().map((name) => grown(name, name, undefined, valueAt(given, [name]), false, 'this step', 0))
}

function inputsOf(s: Sight, run?: Detail): unknown {
  return s.name === 'inputs' && run?.signal?.kind === 'called' ? run.signal.body : undefined
}

function leafOf(s: Sight, value: unknown, from: string): Leaf {
  return grown(s.name, s.name, s.shape as Shape | undefined, value, !!s.optional, from, 0)
}

/** itemLeaf is one item of a list that is gone through, under its name. */
export const itemLeaf = (name: string, shape: unknown, value: unknown): Leaf =>
  grown(name, name, shape as Shape | undefined, value, false, 'it', 0)

const plainName = /^[A-Za-z_]\w*$/

function grown(
  code: string,
  name: string,
  shape: Shape | undefined,
  value: unknown,
  optional: boolean,
  from: string,
  depth: number,
): Leaf {
  const one = shape?.anyOf?.find((s) => s.type !== 'null') ?? shape
  const out: Leaf = { code, name, kind: kindOf(one, value), optional, value, inside: [], from }
  if (depth >= deepest) return out
  const known = one?.properties ?? {}
  const seen = value !== null && typeof value === 'object' && !Array.isArray(value) ? Object.keys(value) : []
  for (const key of new Set([...Object.keys(known), ...seen])) {
    const may = optional || (!one?.required?.includes(key) && key in known)
    const below = plainName.test(key) ? `${code}${optional ? '.?' : '.'}${key}` : `${code}[${JSON.stringify(key)}]`
    const inner = (value as Record<string, unknown> | undefined)?.[key]
    out.inside.push(grown(below, key, known[key], inner, may, from, depth + 1))
  }
  return out
}

function kindOf(shape: Shape | undefined, value: unknown): string {
  const type = Array.isArray(shape?.type) ? shape.type.find((t) => t !== 'null') : shape?.type
  const words: Record<string, string> = {
    string: 'text',
    number: 'number',
    integer: 'number',
    boolean: 'yes or no',
    array: 'list',
    object: 'several values',
  }
  if (type && words[type]) return words[type]
  if (Array.isArray(value)) return 'list'
  if (value === null || value === undefined) return ''
  return words[typeof value] ?? ''
}

/** fitting finds the value whose name is that of an argument, the nearest first. */
export function fitting(all: Leaf[], name: string): Leaf | undefined {
  for (const leaf of all) {
    if (leaf.name === name && leaf.inside.length === 0) return leaf
    const inner = fitting(leaf.inside, name)
    if (inner) return inner
  }
  return undefined
}

/** found are the leaves whose names have all of the words, flat. */
export function found(all: Leaf[], words: string): Leaf[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean)
  const out: Leaf[] = []
  const visit = (l: Leaf) => {
    const said = l.code.toLowerCase().replaceAll(/[_.?]/g, ' ')
    if (wanted.every((w) => said.includes(w))) out.push(l)
    l.inside.forEach(visit)
  }
  all.forEach(visit)
  const exact = (l: Leaf) => (l.name.toLowerCase().replaceAll('_', ' ') === wanted.join(' ') ? 0 : 1)
  return out.toSorted((a, b) => exact(a) - exact(b))
}
