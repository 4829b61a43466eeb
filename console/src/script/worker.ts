// Reads and changes texts beside the page, so that typing never waits for it.
import { parse, printItem } from './layout'
import { act, copied, type Act } from './splice'
import type { Path, Shift } from './pointer'
import type { Meaning, Line } from '../api'

export type Question =
  | { ask: 'act'; text: string; act: Act }
  | { ask: 'copy'; text: string; list: Path; at: number; count: number }
  | { ask: 'tree'; text: string }
  | { ask: 'print'; items: unknown[] }
  | { ask: 'read'; workflow: string; text: string }

export interface Tree {
  tree: unknown // undefined where the text cannot be read
  trouble?: string
}

export interface Acted extends Tree {
  text: string
  shift?: Shift
}

/** Told is what a text means; a line that is as it was is only its place among those told before. */
export interface Told extends Tree {
  lines: (Line | number)[]
  sees: Meaning['sees']
  problems: Meaning['problems']
}

let before: Map<string, number> = new Map()

function treeOf(text: string): Tree {
  const doc = parse(text)
  if (doc.errors.length > 0) return { tree: undefined, trouble: doc.errors[0].message }
  return { tree: doc.toJS() ?? {} }
}

async function read(workflow: string, text: string): Promise<Told | { refused: string; status: number }> {
  const answer = await fetch(`/api/v1/workflows/${encodeURIComponent(workflow)}/read`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ text }),
  }).catch(() => undefined)
  if (!answer) return { refused: 'The service does not answer', status: 0 }
  const said = await answer.json().catch(() => ({}))
  if (!answer.ok) return { refused: said.detail ?? said.title ?? answer.statusText, status: answer.status }
  const meaning = said as Meaning
  const now = new Map<string, number>()
  const lines = meaning.lines.map((line, i) => {
    const written = JSON.stringify(line)
    now.set(written, i)
    return before.get(written) ?? line
  })
  before = now
  return { lines, sees: meaning.sees, problems: meaning.problems, ...treeOf(text) }
}

async function answer(q: Question) {
  switch (q.ask) {
    case 'act': {
      const done = act(q.text, q.act)
      return { ...done, ...treeOf(done.text) }
    }
    case 'copy':
      return copied(q.text, q.list, q.at, q.count)
    case 'tree':
      return treeOf(q.text)
    case 'print':
      return q.items.map((i) => printItem(i, 0)).join('')
    case 'read':
      return read(q.workflow, q.text)
  }
}

self.onmessage = (e: MessageEvent<{ n: number; question: Question }>) => {
  const { n, question } = e.data
  answer(question).then(
    (said) => self.postMessage({ n, said }),
    (wrong: unknown) => self.postMessage({ n, wrong: wrong instanceof Error ? wrong.message : String(wrong) }),
  )
}
