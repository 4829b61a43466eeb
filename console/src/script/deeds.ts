import { useMemo, useRef } from 'react'
import type { Line } from '../api'
import type { Draft, State } from './draft'
import type { Deed } from './line'
import type { Offer } from './offers'
import { after, ids, moveTo, partOf, spotOf, within, type Spot } from './places'
import { pathOf, pointerTo, valueAt } from './pointer'
import { before, fitting, leaves } from './scope'
import { codeOf } from './picker'
import { useBuild } from './use-draft'

type Put<T> = React.Dispatch<React.SetStateAction<T>>

/** Deeds are what can be done with lines. */
export interface Deeds {
  does: (line: Line, deed: Deed) => void
  add: (path: string, chosen: Offer[]) => Promise<void>
  mark: (line: Line, extend?: boolean) => void
  take: (cut: boolean) => string | undefined // the text of what is selected
  paste: (text: string) => void
}

const order = ['id', 'title', 'note', 'when', 'off']

/** put writes items into a list of steps, and goes to the first; one that stands alone is opened. */
async function put(draft: Draft, spot: Spot, text: string, open: boolean, opens = '') {
  const first = pointerTo([...spot.list, spot.at]) + opens
  const mark = { line: first, open: open ? first : undefined, fresh: open }
  await draft.act({ do: 'put', list: spot.list, at: spot.at, text }, '', mark)
}

function remove(draft: Draft, line?: Line) {
  return draft.actOn((s) => {
    const spot = selected(s) ?? counted(line)
    return spot && { act: { do: 'take', list: spot.list, at: spot.at, count: spot.count } }
  })
}

function move(draft: Draft, line: Line, by: 1 | -1) {
  return draft.actOn((s) => {
    const at = s.lines.find((l) => l.field === (s.marked.line ?? line.field)) ?? line
    const spot = spotOf(at)
    const to = moveTo(s.lines, at, by, s.tree)
    return spot && to && { act: { do: 'move', ...spot, count: 1, ...to } }
  })
}

async function duplicate(draft: Draft, line: Line) {
  const spot = spotOf(line)
  if (!spot) return
  const text = renamed(await draft.copy(spot.list, spot.at, 1), ids(draft.get().lines))
  await put(draft, { ...spot, at: spot.at + 1 }, text, false)
}

function turn(draft: Draft, line: Line) {
  const at = [...pathOf(partOf(line)), 'off']
  return draft.set(at, valueAt(draft.get().tree, at) === true ? undefined : true, order)
}

async function copyOut(draft: Draft, line: Line, cut: boolean) {
  const spot = selected(draft.get()) ?? counted(line)
  if (!spot) return
  await navigator.clipboard?.writeText(await draft.copy(spot.list, spot.at, spot.count))
  if (cut) await remove(draft, line)
}

async function add(draft: Draft, path: string, chosen: Offer[]) {
  const s = draft.get()
  const taken = ids(s.lines)
  const line = s.lines.find((l) => l.path === path)
  const above = line ? [...before(s.lines, line), line] : []
  const scope = leaves(s.sees, above)
  const fits = (name: string) => {
    const leaf = fitting(scope, name)
    return leaf && '${' + codeOf(leaf) + '}'
  }
  const made = chosen.map((o) => {
    const one = o.make(taken, fits)
    if (typeof one.id === 'string') taken.add(one.id)
    return one
  })
  const spot = path === 'trigger' ? { list: ['triggers'], at: Number.MAX_SAFE_INTEGER } : after(line)
  await put(draft, within(spot, s.tree), await draft.print(made), made.length === 1, chosen[0]?.opens)
}

/** useDeeds carries out what is done with lines, by mouse, menu or key. */
export function useDeeds(setAdding: Put<string | undefined>, setFolded: Put<Set<string>>): Deeds {
  const { draft } = useBuild()
  const copied = useRef('') // what is selected, as text: a copy is asked for too late to fetch it then
  return useMemo(() => {
    const mark = (line: Line, extend?: boolean) => {
      const m = draft.get().marked
      draft.mark(extend ? { ...m, line: m.line ?? line.field, till: line.field } : { line: line.field, open: m.open })
      const spot = selected(draft.get())
      if (spot) void draft.copy(spot.list, spot.at, spot.count).then((text) => (copied.current = text), ignored)
    }
    const fold = (path: string) =>
      setFolded((f) => (f.has(path) ? new Set([...f].filter((p) => p !== path)) : new Set([...f, path])))
    const open = (line: Line) => {
      const place = partOf(line)
      draft.mark({ line: line.field, open: draft.get().marked.open === place ? undefined : place })
    }
    const doing: Record<Deed, (line: Line) => unknown> = {
      open,
      add: (line) => setAdding(line.path),
      duplicate: (line) => duplicate(draft, line),
      up: (line) => (mark(line), move(draft, line, -1)),
      down: (line) => (mark(line), move(draft, line, 1)),
      off: (line) => turn(draft, line),
      copy: (line) => copyOut(draft, line, false),
      cut: (line) => copyOut(draft, line, true),
      remove: (line) => remove(draft, line),
      fold: (line) => fold(line.path),
    }
    return {
      does: (line, deed) => void doing[deed](line),
      mark,
      add: (path, chosen) => add(draft, path, chosen),
      take: (cut) => {
        const text = copied.current
        if (!selected(draft.get()) || !text) return undefined
        if (cut) void remove(draft)
        return text
      },
      paste: (text) => {
        const s = draft.get()
        const line = s.lines.find((l) => l.field === s.marked.line)
        void put(draft, within(after(line), s.tree), renamed(text, ids(s.lines)), false)
      },
    }
  }, [draft, setAdding, setFolded])
}

const ignored = () => undefined

interface Several extends Spot {
  count: number
}

const counted = (line?: Line): Several | undefined => {
  const spot = spotOf(line)
  return spot && { ...spot, count: 1 }
}

/** selected are the steps that are marked: those of one list, from the first to the last. */
export function selected(s: State): Several | undefined {
  const spots = [s.marked.line, s.marked.till ?? s.marked.line].map((m) => spotOf(s.lines.find((l) => l.field === m)))
  const [a, b] = spots
  if (!a || !b) return a && { ...a, count: 1 }
  if (pointerTo(a.list) !== pointerTo(b.list)) return { ...a, count: 1 }
  const at = Math.min(a.at, b.at)
  return { list: a.list, at, count: Math.abs(a.at - b.at) + 1 }
}

/** renamed gives items of a text names that are free. */
function renamed(text: string, taken: Set<string>): string {
  return text.replaceAll(/^(\s*(?:- )?\s*id: )([a-z_][a-z0-9_]*)$/gm, (whole, key: string, id: string) => {
    if (!taken.has(id)) return whole
    let n = 2
    while (taken.has(`${id}_${n}`)) n++
    taken.add(`${id}_${n}`)
    return `${key}${id}_${n}`
  })
}
