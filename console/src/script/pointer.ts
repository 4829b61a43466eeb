// Places in a file: JSON Pointers (RFC 6901), as the service names them.

export type Path = (string | number)[]

/** pathOf reads a pointer; numbers are places in lists. */
export function pathOf(pointer: string): Path {
  if (pointer === '') return []
  return pointer
    .slice(1)
    .split('/')
    .map((t) => (/^\d+$/.test(t) ? Number(t) : t.replaceAll('~1', '/').replaceAll('~0', '~')))
}

export function pointerTo(path: Path): string {
  return path.map((t) => '/' + String(t).replaceAll('~', '~0').replaceAll('/', '~1')).join('')
}

/** Shift is what an act did to the places of a list: some items went, some came. */
export interface Shift {
  list: Path
  at: number
  gone: number
  came: number
  moved?: { list: Path; at: number } // where those that went are now; at is a place after they went
}

const begins = (path: Path, list: Path) => path.length > list.length && list.every((t, i) => path[i] === t)

/** shifted gives where a place is after an act; nothing where it is gone. */
export function shifted(path: Path, s: Shift): Path | undefined {
  let out: Path = path
  if (begins(path, s.list)) {
    const n = path[s.list.length] as number
    if (n >= s.at && n < s.at + s.gone) {
      if (!s.moved) return undefined
      const into = [...s.moved.list, s.moved.at + n - s.at]
      return [...into, ...path.slice(s.list.length + 1)]
    }
    if (n >= s.at + s.gone) out = [...s.list, n - s.gone + s.came, ...path.slice(s.list.length + 1)]
  }
  if (s.moved && begins(out, s.moved.list)) {
    const n = out[s.moved.list.length] as number
    if (n >= s.moved.at) out = [...s.moved.list, n + s.gone, ...out.slice(s.moved.list.length + 1)]
  }
  return out
}

/** valueAt follows a path through plain values. */
export function valueAt(tree: unknown, path: Path): unknown {
  let at = tree
  for (const t of path) {
    if (at === null || typeof at !== 'object') return undefined
    at = (at as Record<string | number, unknown>)[t]
  }
  return at
}
