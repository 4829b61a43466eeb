// Acts on the text of a workflow. Each changes what it names and leaves every
// other byte as it is.
import { isMap, isScalar, isSeq, type Document, type Node, type Pair, type YAMLMap, type YAMLSeq } from 'yaml'
import {
  column,
  endOf,
  endOfPair,
  indented,
  isBlock,
  lineEnd,
  lineStart,
  parse,
  printFlow,
  printItem,
  printPair,
  type Value,
} from './layout'
import { shifted, type Path, type Shift } from './pointer'

/** Act is one thing done to a text. */
export type Act =
  | { do: 'set'; path: Path; value: Value; order?: string[] } // nothing as a value removes
  | { do: 'rename'; path: Path; to: string } // a key of a map
  | { do: 'put'; list: Path; at: number; text: string } // items as text
  | { do: 'take'; list: Path; at: number; count: number }
  | { do: 'move'; list: Path; at: number; count: number; into: Path; to: number } // to counts as if nothing had gone
  | { do: 'write'; from: number; to: number; text: string }

/** Done is a text after an act. */
export interface Done {
  text: string
  shift?: Shift
}

/** act carries an act out. It throws where what it names is not there. */
export function act(text: string, a: Act): Done {
  switch (a.do) {
    case 'set':
      return { text: a.value === undefined ? removed(text, a.path) : put(text, a.path, a.value, a.order ?? []) }
    case 'rename':
      return { text: renamed(text, a.path, a.to) }
    case 'put': {
      const came = (parse(a.text).contents as YAMLSeq).items.length
      return { text: inserted(text, a.list, a.at, a.text), shift: { list: a.list, at: a.at, gone: 0, came } }
    }
    case 'take':
      return {
        text: taken(text, a.list, a.at, a.count),
        shift: { list: a.list, at: a.at, gone: a.count, came: 0 },
      }
    case 'move':
      return moved(text, a)
    case 'write':
      return { text: text.slice(0, a.from) + a.text + text.slice(a.to) }
  }
}

/** copied gives items of a list as text of their own. */
export function copied(text: string, list: Path, at: number, count: number): string {
  const seq = find(parse(text), list)
  if (!isSeq(seq)) throw new Error('there is no list here')
  if (seq.flow)
    return seq.items
      .slice(at, at + count)
      .map((i) => printItem((i as Node).toJS(parse(text)), 0))
      .join('')
  const from = extent(text, seq, at).from
  const { to } = extent(text, seq, at + count - 1)
  const lines = text.slice(from, to)
  return indented(lines.endsWith('\n') ? lines : lines + '\n', -dash(text, seq))
}

function find(doc: Document, path: Path): Node | null {
  const node = path.length ? doc.getIn(path, true) : doc.contents
  return (node as Node | undefined) ?? null
}

const pairOf = (map: YAMLMap, key: string | number) =>
  map.items.find((p) => isScalar(p.key) && String(p.key.value) === String(key)) as Pair<Node, Node | null> | undefined

function splice(text: string, from: number, to: number, insert: string): string {
  return text.slice(0, from) + insert + text.slice(to)
}

/** nest puts a value below the keys that are missing. */
function nest(keys: Path, value: Value): Value {
  return keys.reduceRight((v, k) => (typeof k === 'number' ? [v] : { [k]: v }), value)
}

/** put writes a value at a place, with all that is missing above it. */
function put(text: string, path: Path, value: Value, order: string[]): string {
  const doc = parse(text)
  let node = doc.contents as Node | null
  let flow = false
  for (let i = 0; i < path.length; i++) {
    const rest = path.slice(i + 1)
    flow ||= (isMap(node) || isSeq(node)) && !!node.flow
    if (isMap(node)) {
      const pair = pairOf(node, path[i])
      if (!pair) return entered(text, path.slice(0, i), node, String(path[i]), nest(rest, value), order)
      if (rest.length === 0 || !deeper(pair.value)) return revalued(text, node, pair, nest(rest, value), flow)
      node = pair.value
    } else if (isSeq(node)) {
      const item = node.items[path[i] as number] as Node | undefined
      if (!item) return inserted(text, path.slice(0, i), node.items.length, printItem(nest(rest, value), 0))
      if (rest.length === 0 || !deeper(item)) return reitemed(text, node, item, nest(rest, value), flow)
      node = item
    } else return text + (text && !text.endsWith('\n') ? '\n' : '') + printPair(String(path[i]), nest(rest, value), 0)
  }
  return text
}

/** deeper tells whether there is something below a node; {} and [] are written anew. */
function deeper(node: Node | null): node is YAMLMap | YAMLSeq {
  return (isMap(node) || isSeq(node)) && node.items.length > 0
}

/** revalued puts another value behind a key. */
function revalued(text: string, map: YAMLMap, pair: Pair<Node, Node | null>, value: Value, flow: boolean): string {
  if (flow) return splice(text, pair.key.range![1], endOfPair(pair), ': ' + printFlow(value))
  const indent = column(text, map.items[0].key ? (map.items[0].key as Node).range![0] : 0)
  const printed = printPair('k', kept(pair.value, value), indent).slice(indent + 1)
  return exchanged(text, pair.key.range![1], endOfPair(pair), printed)
}

/** reitemed puts another value in the place of an item of a list. */
function reitemed(text: string, seq: YAMLSeq, item: Node, value: Value, flow: boolean): string {
  if (flow) return splice(text, item.range![0], item.range![1], printFlow(value))
  const indent = dash(text, seq)
  const from = lineStart(text, item.range![0]) + indent + 1
  return exchanged(text, from, endOf(item), printItem(kept(item, value), indent).slice(indent + 1))
}

/** kept lets a text of many lines end as it ended. */
function kept(was: Node | null, value: Value): Value {
  if (typeof value !== 'string' || value === '' || value.endsWith('\n') || !isBlock(was)) return value
  return isScalar(was) && String(was.value).endsWith('\n') ? value + '\n' : value
}

/** exchanged puts printed lines in place of what stood behind a key; a comment on its line stays. */
function exchanged(text: string, from: number, to: number, printed: string): string {
  const lines = printed.replace(/\n$/, '').split('\n')
  const whole = to > 0 && text[to - 1] === '\n' // a block of lines was there
  const end = whole ? to - 1 : lineEnd(text, to) - (text[lineEnd(text, to) - 1] === '\n' ? 1 : 0)
  const comment = whole ? '' : text.slice(to, end).trimEnd()
  lines[0] += comment
  if (lines.length > 1 && end === text.length) lines.push('') // a block of lines ends with a line's end
  return splice(text, from, end, lines.join('\n'))
}

/** entered writes a key that was not there, behind those it comes after. */
function entered(text: string, at: Path, map: YAMLMap, key: string, value: Value, order: string[]) {
  if (map.items.length === 0) return at.length ? put(text, at, { [key]: value }, []) : printPair(key, value, 0)
  const items = map.items as Pair<Node, Node | null>[]
  if (map.flow)
    return splice(
      text,
      endOfPair(items[items.length - 1]),
      endOfPair(items[items.length - 1]),
      `, ${printFlow({ [key]: value }).slice(1, -1)}`,
    )
  const place = order.indexOf(key)
  const before = items.filter((p) => place < 0 || order.indexOf(String((p.key as { value?: unknown }).value)) < place)
  const first = items[0].key.range![0]
  const indent = column(text, first)
  const printed = printPair(key, value, indent)
  if (before.length === 0) return splice(text, first, first, printed.trimStart() + ' '.repeat(indent))
  const end = lineEnd(text, endOfPair(before[before.length - 1]))
  return splice(text, end, end, (text[end - 1] === '\n' ? '' : '\n') + printed)
}

function removed(text: string, path: Path): string {
  const doc = parse(text)
  const last = path[path.length - 1]
  const map = find(doc, path.slice(0, -1))
  if (isSeq(map)) return taken(text, path.slice(0, -1), last as number, 1)
  if (!isMap(map)) return text
  const i = map.items.indexOf(pairOf(map, last)!)
  if (i < 0) return text
  const pair = map.items[i] as Pair<Node, Node | null>
  if (map.items.length === 1)
    return path.length > 1 ? put(text, path.slice(0, -1), {}, []) : splice(text, 0, text.length, '')
  const next = map.items[i + 1] as Pair<Node> | undefined
  if (map.flow)
    return next
      ? splice(text, pair.key.range![0], next.key.range![0], '')
      : splice(text, endOfPair(map.items[i - 1] as Pair), endOfPair(pair), '')
  const start = lineStart(text, pair.key.range![0])
  if (text.slice(start, pair.key.range![0]).trim() !== '')
    // it shares its line with the dash of an item
    return splice(text, pair.key.range![0], next!.key.range![0], '')
  return splice(text, start, lineEnd(text, endOfPair(pair)), '')
}

function renamed(text: string, path: Path, to: string): string {
  const map = find(parse(text), path.slice(0, -1))
  const pair = isMap(map) ? pairOf(map, path[path.length - 1]) : undefined
  if (!pair) throw new Error('there is nothing of this name')
  return splice(text, pair.key.range![0], pair.key.range![1], printFlow(to))
}

/** dash is the column where the items of a list begin. */
function dash(text: string, seq: YAMLSeq): number {
  const first = seq.items[0] as Node
  return text.slice(lineStart(text, first.range![0]), first.range![0]).lastIndexOf('-')
}

/** extent is the lines of an item, with the comments right above it. */
function extent(text: string, seq: YAMLSeq, i: number): { from: number; to: number } {
  const item = seq.items[i] as Node | undefined
  if (!item?.range) throw new Error('there is no such item')
  let from = lineStart(text, item.range[0])
  const indent = ' '.repeat(dash(text, seq)) + '#'
  while (from > 0 && text.slice(lineStart(text, from - 1), from).startsWith(indent)) from = lineStart(text, from - 1)
  return { from, to: lineEnd(text, endOf(item)) }
}

/** inserted puts items, printed from the first column on, into a list. */
function inserted(text: string, list: Path, at: number, items: string): string {
  const doc = parse(text)
  const seq = find(doc, list)
  if (!isSeq(seq) || seq.items.length === 0) return begun(text, list, items)
  if (seq.flow) {
    const printed = (parse(items).toJS() as Value[]).map(printFlow).join(', ')
    const next = seq.items[at] as Node | undefined
    if (next) return splice(text, next.range![0], next.range![0], printed + ', ')
    const end = (seq.items[at - 1] as Node).range![1]
    return splice(text, end, end, ', ' + printed)
  }
  const end = at < seq.items.length ? extent(text, seq, at).from : extent(text, seq, seq.items.length - 1).to
  const lines = indented(items, dash(text, seq))
  return splice(text, end, end, (end > 0 && text[end - 1] !== '\n' ? '\n' : '') + lines)
}

const order = [
  'workflow',
  'title',
  'purpose',
  'context',
  'model',
  'triggers',
  'inputs',
  'result',
  'gives',
  'limits',
  'steps',
]

/** begun writes the first items of a list that was empty or not there. */
function begun(text: string, list: Path, items: string): string {
  const mark = 'the-items-stand-here'
  const marked = put(text, list, [mark], order)
  const at = marked.indexOf('- ' + mark)
  const indent = column(marked, at)
  return splice(marked, at - indent, lineEnd(marked, at), indented(items, indent))
}

function taken(text: string, list: Path, at: number, count: number): string {
  const doc = parse(text)
  const seq = find(doc, list)
  if (!isSeq(seq) || at + count > seq.items.length) throw new Error('there is no such item')
  if (count === seq.items.length) return put(text, list, [], [])
  if (seq.flow) {
    const range = (i: number) => (seq.items[i] as Node).range!
    if (at + count < seq.items.length) return splice(text, range(at)[0], range(at + count)[0], '')
    return splice(text, range(at - 1)[1], range(at + count - 1)[1], '')
  }
  return splice(text, extent(text, seq, at).from, extent(text, seq, at + count - 1).to, '')
}

function moved(text: string, a: Act & { do: 'move' }): Done {
  const gone: Shift = { list: a.list, at: a.at, gone: a.count, came: 0 }
  const place = [...a.into, a.to]
  const same = a.into.join('/') === a.list.join('/')
  const into = same ? [...a.into, a.to > a.at ? Math.max(a.at, a.to - a.count) : a.to] : shifted(place, gone)
  if (!into) throw new Error('a step cannot be moved into itself')
  const items = copied(text, a.list, a.at, a.count)
  const to = { list: into.slice(0, -1), at: into[into.length - 1] as number }
  const without = taken(text, a.list, a.at, a.count)
  return { text: inserted(without, to.list, to.at, items), shift: { ...gone, moved: to } }
}
