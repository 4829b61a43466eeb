// Where things stand in a YAML text, and how new ones are printed into it.
import { isMap, isScalar, isSeq, parseDocument, stringify, type Document, type Node, type Pair } from 'yaml'

export type Value = unknown

/** parse reads a text; comments and what is odd about it stay in the text. */
export function parse(text: string): Document {
  return parseDocument(text, { prettyErrors: false, logLevel: 'silent' })
}

export const lineStart = (text: string, at: number) => text.lastIndexOf('\n', at - 1) + 1

/** lineEnd is where the next line begins. */
export function lineEnd(text: string, at: number): number {
  if (at > 0 && text[at - 1] === '\n') return at // the end of a block of lines
  const n = text.indexOf('\n', at)
  return n < 0 ? text.length : n + 1
}

export const column = (text: string, at: number) => at - lineStart(text, at)

/** endOf is where the last thing in a node ends; behind a block of lines, where the next line begins. */
export function endOf(node: Node): number {
  if (isMap(node) && !node.flow && node.items.length > 0) return endOfPair(node.items[node.items.length - 1])
  if (isSeq(node) && !node.flow && node.items.length > 0) return endOf(node.items[node.items.length - 1] as Node)
  return node.range![1]
}

export function endOfPair(pair: Pair): number {
  const value = pair.value as Node | null
  const key = pair.key as Node
  return value?.range && value.range[1] > key.range![1] ? endOf(value) : key.range![1] + 1
}

export const isBlock = (node: unknown) => isScalar(node) && /^BLOCK/.test(node.type ?? '')

const style = { lineWidth: 0, compat: 'yaml-1.1', nullStr: '~' } as const

/** printFlow prints a value on one line. */
export function printFlow(value: Value): string {
  const options = { ...style, collectionStyle: 'flow', blockQuote: false, flowCollectionPadding: false } as const
  return stringify(value, options).trimEnd()
}

/** printPair prints a key and its value as lines that begin at a column. */
export function printPair(key: string, value: Value, indent: number): string {
  return indented(stringify({ [key]: value }, style), indent)
}

/** printItem prints an item of a list as lines that begin at a column. */
export function printItem(value: Value, indent: number): string {
  return indented(stringify([value], style), indent)
}

/** indented moves lines to the right, or to the left where by is less than nothing. */
export function indented(lines: string, by: number): string {
  const pad = ' '.repeat(Math.max(0, by))
  return lines
    .split('\n')
    .map((l) => {
      if (l.trim() === '') return l
      return by >= 0 ? pad + l : l.slice(Math.min(-by, l.length - l.trimStart().length))
    })
    .join('\n')
}
