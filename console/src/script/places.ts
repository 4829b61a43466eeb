// Where steps stand and go, by the lines that are shown.
import type { Line } from '../api'
import { pathOf, valueAt, type Path } from './pointer'

/** Spot is a place in a list of steps. */
export interface Spot {
  list: Path
  at: number
}

/** spotOf is where a line's step stands; nothing for lines that are no steps or triggers. */
export function spotOf(line: Line | undefined): Spot | undefined {
  const path = pathOf(partOf(line))
  const at = path[path.length - 1]
  if (!line || line.kind === 'case' || typeof at !== 'number') return undefined
  return { list: path.slice(0, -1), at }
}

/** partOf is the place of the step or trigger a line tells, or of the block it opens. */
export function partOf(line: Line | undefined): string {
  const field = line?.field ?? ''
  return line?.kind === 'trigger' && field.startsWith('/triggers/') ? field.split('/').slice(0, 3).join('/') : field
}

/** after is where a step goes that is put in below a line. */
export function after(line: Line | undefined): Spot {
  if (!line || line.kind === 'trigger') return { list: ['steps'], at: 0 }
  if (line.kind === 'case') return { list: [...pathOf(line.field ?? ''), 'do'], at: 0 }
  const spot = spotOf(line)
  return spot ? { ...spot, at: spot.at + 1 } : { list: ['steps'], at: Number.MAX_SAFE_INTEGER }
}

/** within bounds a spot by how many steps there are. */
export function within(spot: Spot, tree: unknown): Spot {
  const list = valueAt(tree, spot.list)
  return { ...spot, at: Math.min(spot.at, Array.isArray(list) ? list.length : 0) }
}

/** moveTo is where a step goes that is moved up or down by one: past its neighbour, else out of its block. */
export function moveTo(lines: Line[], line: Line, by: 1 | -1, tree: unknown): { into: Path; to: number } | undefined {
  const spot = spotOf(line)
  if (!spot || spot.list[0] !== 'steps') return undefined
  const list = valueAt(tree, spot.list)
  const n = Array.isArray(list) ? list.length : 0
  if (by < 0 && spot.at > 0) return { into: spot.list, to: spot.at - 1 }
  if (by > 0 && spot.at < n - 1) return { into: spot.list, to: spot.at + 2 }
  const outer = [...lines].reverse().find((l) => holds(l, spot.list))
  const out = spotOf(outer)
  return out && { into: out.list, to: by < 0 ? out.at : out.at + 1 }
}

/** holds tells whether a line is the step that a list of steps is in. */
function holds(l: Line, list: Path): boolean {
  const spot = spotOf(l)
  if (!spot || spot.list[0] !== 'steps') return false
  const path = [...spot.list, spot.at]
  return path.length < list.length && path.every((t, i) => t === list[i])
}

/** ids are the names that steps and triggers have. */
export function ids(lines: Line[]): Set<string> {
  return new Set(lines.flatMap((l) => (l.id ? [l.id] : [])))
}
