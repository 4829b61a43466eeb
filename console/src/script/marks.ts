// Where the checker's marks stand in a text.
import type { Problem } from '../api'

/** lineAt is where a line of a text begins, counted from 1. */
export function lineAt(text: string, line: number): number {
  let at = 0
  for (let n = 1; n < line; n++) {
    const next = text.indexOf('\n', at)
    if (next < 0) return text.length
    at = next + 1
  }
  return at
}

/** columnAt turns a column in bytes, as the service counts, into a place in the text. */
function columnAt(text: string, start: number, column: number): number {
  let at = start
  for (let bytes = 1; bytes < column && at < text.length && text[at] !== '\n';) {
    const code = text.codePointAt(at)!
    bytes += code < 0x80 ? 1 : code < 0x800 ? 2 : code < 0x10000 ? 3 : 4
    at += code < 0x10000 ? 1 : 2
  }
  return at
}

export type Range = { from: number; to: number }

/** fixed is the range that a problem's fix puts something in place of. */
export function fixed(text: string, fix: NonNullable<Problem['fix']>): Range {
  const start = lineAt(text, fix.line)
  return { from: columnAt(text, start, fix.column), to: columnAt(text, start, fix.end) }
}

/** marked is the range a problem is shown at: from its column to the end of the line. */
export function marked(text: string, p: Problem): Range {
  const start = lineAt(text, p.line)
  const end = text.indexOf('\n', start)
  const from = columnAt(text, start, p.column)
  return { from, to: Math.max(from, end < 0 ? text.length : end) }
}
