// Values shown as chips in a text that is edited. One chip is one thing: it is
// passed, selected and removed whole.
import { StateField, type Extension, type Range, type Text } from '@codemirror/state'
import { Decoration, EditorView, WidgetType, type DecorationSet } from '@codemirror/view'
import { pieces } from './text'

/** Says tells what a chip shows for a piece of code, and whether it leads anywhere. */
export type Says = (code: string) => { words: string; about?: string; lost?: boolean }

class Chip extends WidgetType {
  constructor(
    readonly code: string,
    readonly words: string,
    readonly about: string | undefined,
    readonly lost: boolean,
  ) {
    super()
  }

  eq(other: Chip) {
    return other.code === this.code && other.words === this.words && other.lost === this.lost
  }

  toDOM() {
    const chip = document.createElement('span')
    chip.className = this.lost ? 'chip chip-lost' : 'chip'
    chip.textContent = this.words
    chip.title = this.about ?? this.code
    if (this.lost) chip.setAttribute('aria-invalid', 'true')
    return chip
  }
}

/** chipsIn finds what is shown as chips. */
export type Finds = (text: string) => { from: number; to: number; code: string }[]

export const inText: Finds = pieces

/** inExpression finds the values that are read in an expression, by the names that are known. */
export const inExpression =
  (known: Set<string>): Finds =>
  (text) => {
    const out: { from: number; to: number; code: string }[] = []
    for (const m of text.matchAll(/"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|[A-Za-z_]\w*(?:\.\??[A-Za-z_]\w*)*/g)) {
      const code = m[0].replaceAll('.?', '.')
      const after = text[m.index + m[0].length]
      if (/^["']/.test(code)) continue
      const end = after === '(' ? code.lastIndexOf('.') : code.length // a function stands behind the last dot
      const path = code.slice(0, Math.max(0, end))
      if (path && known.has(path)) out.push({ from: m.index, to: m.index + path.length, code: path })
    }
    return out
  }

/** chips shows values as chips. */
export function chips(finds: Finds, says: Says): Extension {
  const drawn = (doc: Text): DecorationSet => {
    const ranges: Range<Decoration>[] = finds(doc.toString()).map((p) => {
      const said = says(p.code)
      const widget = new Chip(p.code, said.words, said.about, !!said.lost)
      return Decoration.replace({ widget }).range(p.from, p.to)
    })
    return Decoration.set(ranges, true)
  }
  const field = StateField.define<DecorationSet>({
    create: (state) => drawn(state.doc),
    update: (now, tr) => (tr.docChanged ? drawn(tr.newDoc) : now),
    provide: (f) => [EditorView.decorations.from(f), EditorView.atomicRanges.of((v) => v.state.field(f))],
  })
  return field
}
