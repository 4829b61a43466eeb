// What can be written next in a file, from the language the service describes.
import type { CompletionContext, CompletionResult } from '@codemirror/autocomplete'
import type { Field, Language, Name, Tool } from '../api'
import { fieldAt, fieldsIn } from './language'
import type { Path } from './pointer'

/** placeAt reads, from how far lines are moved in, where in a file a line stands. */
export function placeAt(text: string, at: number): { path: Path; key?: string } {
  const lines = text.slice(0, at).split('\n')
  const last = lines.pop() ?? ''
  const key = /^\s*(?:- )?([\w-]+):\s/.exec(last)?.[1]
  let indent = keyColumn(last)
  const path: Path = []
  let items = /^\s*- /.test(last) ? 1 : 0
  if (items) indent = last.indexOf('-')
  for (const line of lines.toReversed()) {
    if (line.trim() === '' || line.trim().startsWith('#')) continue
    const dash = line.indexOf('- ')
    const dashed = /^\s*- /.test(line)
    if (dashed && dash === indent && items > 0) items++
    else if (dashed && dash < indent && items === 0 && keyColumn(line) === indent) {
      items = 1
      indent = dash
    } else if (keyColumn(line) < indent || (items > 0 && keyColumn(line) <= indent && !dashed)) {
      const name = /^\s*(?:- )?([\w-]+):/.exec(line)?.[1]
      if (!name) continue
      if (items > 0) path.unshift(items - 1)
      path.unshift(name)
      items = dashed ? 1 : 0
      indent = dashed ? dash : keyColumn(line)
    }
  }
  if (items > 0) path.unshift(items - 1)
  return { path, key }
}

const keyColumn = (line: string) => /^\s*(?:- )?/.exec(line)![0].length

interface Knows {
  language: Language
  names: Name[]
  tools: Tool[]
  tree: unknown
}

/** completes offers the keys of the place one is in, and what a key can hold. */
export const completes =
  (knows: () => Knows) =>
  (c: CompletionContext): CompletionResult | null => {
    const word = c.matchBefore(/[\w/-]*/)
    if (!word || (word.from === word.to && !c.explicit)) return null
    const { path, key } = placeAt(c.state.doc.toString(), c.pos)
    const k = knows()
    if (key === undefined) {
      const fields = fieldsIn(k.language, k.tree, path)
      return { from: word.from, options: fields.map((f) => ({ label: f.name, detail: f.help, apply: `${f.name}: ` })) }
    }
    const field = fieldAt(k.language, k.tree, [...path, key])
    return field ? { from: word.from, options: valuesOf(field, k) } : null
  }

function valuesOf(f: Field, k: Knows) {
  if (f.holds === 'tool') return k.tools.map((t) => ({ label: t.name, detail: t.title }))
  if (f.holds === 'flag') return [{ label: 'true' }, { label: 'false' }]
  if (f.choices) return f.choices.map((label) => ({ label }))
  return k.names
    .filter((n) => n.holds === f.holds && (!f.kind || n.kind === f.kind))
    .map((n) => ({ label: n.name, detail: n.title }))
}
