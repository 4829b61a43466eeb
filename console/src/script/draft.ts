// The draft of one workflow, as it is edited in one browser.
import { call, Refused, type Clash, type Drafted, type Line, type Problem, type Sight } from '../api'
import { Reader } from './ask'
import { History } from './history'
import { keep, keptOf, forget } from './kept'
import { pathOf, pointerTo, shifted, type Path, type Shift } from './pointer'
import type { Act } from './splice'

/** Standing is how far what is written is kept. */
export type Standing = 'kept' | 'unsaved' | 'saving' | 'away' | 'clash' | 'refused'

/** State is a draft at one moment. It is not changed. */
export interface State {
  text: string
  tree: unknown // nothing where the text cannot be read
  trouble?: string // why it cannot
  lines: Line[]
  sees: Sight[]
  problems: Problem[]
  standing: Standing
  since?: Date // when it was kept last
  said?: string // by the service, where it refused to keep it
  clash?: { by: string; clashes: Clash[] }
  marked: Marked
  merged?: string // whose change came in last
  canUndo: boolean
  canRedo: boolean
}

/** blank is how a file stands that nobody has read yet. */
export const blank = (text: string): State => ({
  text,
  tree: undefined,
  lines: [],
  sees: [],
  problems: [],
  standing: 'unsaved',
  marked: {},
  canUndo: false,
  canRedo: false,
})

/** Marked is where one is in the lines that are shown. */
export interface Marked {
  line?: string // the pointer of the line one is on
  till?: string // … and of the last of those that are selected with it, where there are several
  open?: string // of the step whose form is open
  fresh?: boolean // … which was put in just now, so that one goes on in its form
}

/** How long nothing is typed before a text is read, and kept, in milliseconds. */
const readAfter = 120
const keepAfter = 700
const askAgain = 2000

/** Draft holds a text, says what it means, and keeps it. */
export class Draft {
  state: State
  private listeners = new Set<() => void>()
  private reader!: Reader // from begin to end
  private history = new History()
  private base: string // the text the service has, as far as is known
  private log: (Shift | undefined)[] = [] // what was done to places; nothing where that is not known
  private read = 0 // how much of it the lines that are shown know of
  private acts: Promise<unknown> = Promise.resolve()
  private reading?: number
  private keeping?: number
  private saving = false

  constructor(
    readonly id: string,
    text: string,
    lines: Line[],
    private person: string,
  ) {
    const left = keptOf(person, id)
    this.base = left?.from ?? text
    const now = left?.text ?? text
    this.state = { ...blank(now), lines, standing: now === text ? 'kept' : 'unsaved' }
  }

  /** begin reads the text, and keeps what a browser that crashed had not. */
  begin() {
    this.reader = new Reader()
    void this.look()
    if (this.state.text !== this.base) this.soon()
  }

  subscribe = (listener: () => void) => {
    this.listeners.add(listener)
    return () => void this.listeners.delete(listener)
  }

  get = () => this.state

  private put(next: Partial<State>) {
    this.state = {
      ...this.state,
      ...next,
      canUndo: this.history.canUndo,
      canRedo: this.history.canRedo,
    }
    this.listeners.forEach((l) => l())
  }

  /** write puts another text in place of the whole; typing names the place where it is typed. */
  write = (text: string, typing = '') => {
    if (text === this.state.text) return
    this.history.note(this.state.text, text, typing)
    this.took(text)
  }

  private took(text: string, more: Partial<State> = {}) {
    this.put({ text, standing: this.state.standing === 'clash' ? 'clash' : 'unsaved', merged: undefined, ...more })
    keep(this.person, this.id, { text, from: this.base })
    this.again()
    this.soon()
  }

  /** mark says where one is. */
  mark = (marked: Marked) => this.put({ marked })

  /** act carries out an act on a place of what is shown; mark says where one is then. */
  act = (a: Act, typing = '', mark?: Marked): Promise<void> => {
    const read = this.read
    return this.inTurn(async () => {
      const now = placed(a, this.log.slice(read))
      if (now) await this.carryOut(now, typing, mark)
    })
  }

  /** actOn carries out an act on what is shown once it is its turn, as for a key that is held down. */
  actOn = (what: (now: State) => { act: Act; mark?: Marked } | undefined): Promise<void> =>
    this.inTurn(async () => {
      const next = what(this.state)
      if (next) await this.carryOut(next.act, '', next.mark)
    })

  /** actAll carries out several acts as one, none of which moves anything. */
  actAll = (acts: Act[]): Promise<void> => {
    const read = this.read
    return this.inTurn(async () => {
      const from = this.state.text
      let text = from
      for (const a of acts) {
        const now = placed(a, this.log.slice(read))
        if (now) text = (await this.reader.act(text, now)).text
      }
      if (this.state.text !== from) return // somebody wrote meanwhile; it is done by nobody rather than by half
      this.history.note(from, text, '')
      this.took(text)
      await this.look()
    })
  }

  private inTurn(what: () => Promise<void>): Promise<void> {
    const next = this.acts.then(what)
    this.acts = next.catch(() => undefined)
    return next
  }

  private async carryOut(a: Act, typing: string, mark?: Marked) {
    for (;;) {
      const text = this.state.text
      const done = await this.reader.act(text, a)
      if (this.state.text !== text) continue // something was typed meanwhile
      this.history.note(text, done.text, typing)
      if (mark) this.next = mark
      if (!done.shift) return this.took(done.text, { tree: done.tree, trouble: done.trouble })
      this.log.push(done.shift)
      this.took(done.text)
      return this.look()
    }
  }

  private next?: Marked // where one is once the lines are read again

  /** set writes a value at a place; nothing removes it. */
  set = (path: Path, value: unknown, order?: string[], typing = '') =>
    this.act({ do: 'set', path, value, order }, typing && pointerTo(path))

  copy = (list: Path, at: number, count: number) => this.reader.copy(this.state.text, list, at, count)

  /** print writes new items of a list as text. */
  print = (items: unknown[]) => this.reader.print(items)

  undo = () => this.back(this.history.undo(this.state.text))
  redo = () => this.back(this.history.redo(this.state.text))

  private back(text: string) {
    if (text === this.state.text) return
    this.log.push(undefined)
    this.took(text)
    void this.look()
  }

  /** again reads the text soon. */
  private again() {
    window.clearTimeout(this.reading)
    this.reading = window.setTimeout(() => void this.look(), readAfter)
  }

  /** look asks what the text means. */
  look = async () => {
    window.clearTimeout(this.reading)
    const { text, lines } = this.state
    const told = await this.reader.read(this.id, text)
    if (this.state.text !== text) return
    if ('refused' in told) {
      const tree = await this.reader.tree(text)
      if (this.state.text === text) this.put({ ...tree })
      return
    }
    const marked = this.next ?? this.movedAlong(this.state.marked)
    this.read = this.log.length
    this.next = undefined
    const all = told.lines.map((l) => (typeof l === 'number' ? (this.told[l] ?? lines[l]) : l))
    this.told = all
    this.put({ lines: all, sees: told.sees, problems: told.problems, tree: told.tree, trouble: told.trouble, marked })
  }

  /** movedAlong is where one is after what was done. */
  private movedAlong(m: Marked): Marked {
    const along = (pointer?: string) => {
      let path: Path | undefined = pointer === undefined ? undefined : pathOf(pointer)
      for (const s of this.log.slice(this.read)) path = path && (s ? shifted(path, s) : path)
      return path && pointerTo(path)
    }
    return { line: along(m.line), till: along(m.till), open: along(m.open) }
  }

  private told: Line[] = [] // as they were read last

  private soon() {
    window.clearTimeout(this.keeping)
    if (this.state.standing === 'clash') return
    this.keeping = window.setTimeout(() => void this.save(), keepAfter)
  }

  /** save keeps the text; prefer says whose words count in a step that both changed. */
  save = async (prefer?: 'mine' | 'theirs'): Promise<void> => {
    window.clearTimeout(this.keeping)
    if (this.saving) return this.soon()
    const { text } = this.state
    if (text === this.base && !prefer) return this.put({ standing: 'kept' })
    this.saving = true
    this.put({ standing: 'saving', clash: undefined, said: undefined })
    try {
      const body = { text, from: this.base, prefer }
      this.kept(text, await call<Drafted>('PUT', `/workflows/${encodeURIComponent(this.id)}/draft`, body))
    } catch (e) {
      this.notKept(e)
    } finally {
      this.saving = false
    }
  }

  private kept(sent: string, drafted: Drafted) {
    if (this.state.text !== sent) {
      this.base = sent // what came in meanwhile is merged with the next
      keep(this.person, this.id, { text: this.state.text, from: sent })
      this.put({ standing: 'unsaved', since: new Date() })
      return this.soon()
    }
    forget(this.person, this.id)
    this.base = drafted.text
    this.put({ standing: 'kept', since: new Date(), merged: drafted.merged ? drafted.by : this.state.merged })
    if (drafted.text !== sent) this.adopt(drafted.text)
  }

  private adopt(text: string) {
    this.history.merged(this.state.text, text)
    this.log.push(undefined)
    this.put({ text })
    void this.look()
  }

  private notKept(e: unknown) {
    const refused = e instanceof Refused ? e : undefined
    if (refused?.status === 409 && refused.more.clashes) {
      const clash = { by: String(refused.more.by), clashes: refused.more.clashes as Clash[] }
      return this.put({ standing: 'clash', clash })
    }
    if (refused && refused.status >= 400 && refused.status < 500 && refused.status !== 429)
      return this.put({ standing: 'refused', said: refused.message })
    this.put({ standing: 'away' })
    this.keeping = window.setTimeout(() => void this.save(), askAgain)
  }

  /** heard takes in what the service has now. */
  heard = (text: string) => {
    if (text === this.base || this.saving) return
    if (this.state.text === this.base) {
      this.base = text
      this.put({ merged: 'somebody' })
      this.adopt(text)
    } else this.soon()
  }

  end() {
    window.clearTimeout(this.reading)
    if (this.state.standing === 'unsaved') void this.save()
    this.reader.end()
  }
}

/** placed is an act on places as they are after others; nothing where its place is gone. */
function placed(a: Act, since: (Shift | undefined)[]): Act | undefined {
  let now: Act | undefined = a
  for (const s of since) now = now && s && once(now, s)
  return now
}

function once(a: Act, s: Shift): Act | undefined {
  if (a.do === 'write') return a
  if (a.do === 'set' || a.do === 'rename') {
    const path = shifted(a.path, s)
    return path && { ...a, path }
  }
  const at = shifted([...a.list, a.at], s)
  if (!at) return undefined
  const out = { ...a, list: at.slice(0, -1), at: at[at.length - 1] as number }
  if (out.do !== 'move') return out
  const to = shifted([...out.into, out.to], s)
  return to && { ...out, into: to.slice(0, -1), to: to[to.length - 1] as number }
}
