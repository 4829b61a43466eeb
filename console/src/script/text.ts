// A text with values in it: what stands between ${ and }.

export interface Piece {
  from: number
  to: number
  code: string // "" of plain words
}

/** pieces finds the values of a text; $${ is a literal ${. */
export function pieces(text: string): Piece[] {
  const out: Piece[] = []
  let at = 0
  for (;;) {
    const from = text.indexOf('${', at)
    if (from < 0) return out
    if (text[from - 1] === '$') {
      at = from + 2
      continue
    }
    const end = closing(text, from + 2)
    if (end < 0) return out
    out.push({ from, to: end + 1, code: text.slice(from + 2, end).trim() })
    at = end + 1
  }
}

/** closing finds the brace that ends a value; braces in quotes are words. */
function closing(text: string, from: number): number {
  let depth = 0
  let quote = ''
  for (let i = from; i < text.length; i++) {
    const c = text[i]
    if (quote) {
      if (c === '\\') i++
      else if (c === quote) quote = ''
    } else if (c === '"' || c === "'") quote = c
    else if (c === '{') depth++
    else if (c === '}' && depth-- === 0) return i
  }
  return -1
}
