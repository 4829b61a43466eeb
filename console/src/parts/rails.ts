// Where the strands of blocks run beside the lines of a script.

/** Rail is the strand of a block beside one row: whether it comes from above, and whether it goes on below. */
export interface Rail {
  depth: number
  above: boolean
  below: boolean
}

interface Row {
  depth: number
  kind: string
}

/** railsOf gives, for each row, the strands of the blocks it is in: those of steps, not of the ways into a block. */
export function railsOf(rows: Row[]): Rail[][] {
  const below = goingOn(rows)
  return rows.map((row, i) => {
    const own = row.depth > 0 && row.kind !== 'case' ? [row.depth] : []
    const past = below[i].filter((d) => d <= row.depth)
    const all = [...new Set([...own, ...past])]
    return shared(
      all.map((depth) => ({
        depth,
        above: own.includes(depth) || (i > 0 && below[i - 1].includes(depth)),
        below: below[i].includes(depth),
      })),
    )
  })
}

const known = new Map<string, Rail[]>()

/** shared gives the same for what is alike, so that rows which stay as they are are not drawn anew. */
function shared(rails: Rail[]): Rail[] {
  const name = JSON.stringify(rails)
  const kept = known.get(name) ?? rails
  known.set(name, kept)
  return kept
}

/** goingOn gives, for each row, the depths of the strands that go on below it. */
function goingOn(rows: Row[]): number[][] {
  const out: number[][] = []
  let open: number[] = []
  for (let i = rows.length - 1; i >= 0; i--) {
    out[i] = open
    const { depth, kind } = rows[i]
    open = open.filter((d) => d <= depth)
    if (depth > 0 && kind !== 'case' && !open.includes(depth)) open = [...open, depth]
  }
  return out
}
