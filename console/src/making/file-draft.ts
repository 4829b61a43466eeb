// A file that acts as soon as it is written: it is kept by a press, never by itself.
import { call, type Defined, type Definition } from '../api'
import { Reader } from '../script/ask'
import { blank, type State } from '../script/draft'
import type { Path } from '../script/pointer'
import type { Act } from '../script/splice'
import type { Editing } from '../script/use-draft'

export type FileKind = 'connection' | 'table' | 'agent' | 'workspace'

/** How long nothing is changed before the service is asked what it would mean, in milliseconds. */
const pause = 250

/** Meant is what the service says of a file as it is written. */
export interface Meant extends State {
  meant?: Definition
}

/** FileDraft is such a file while it is edited. */
export class FileDraft implements Editing {
  state: Meant
  beside: Record<string, string> = {} // files that come along with it
  private reader = new Reader()
  private listeners = new Set<() => void>()
  private acts: Promise<unknown> = Promise.resolve()
  private asking?: number

  constructor(
    readonly kind: FileKind,
    public id: string,
    text: string,
    public from = '', // what the service has
  ) {
    this.state = blank(text)
    void this.took(text)
  }

  subscribe = (listener: () => void) => {
    this.listeners.add(listener)
    return () => void this.listeners.delete(listener)
  }

  get = () => this.state

  private put(next: Partial<Meant>) {
    this.state = { ...this.state, ...next }
    this.listeners.forEach((l) => l())
  }

  act = (a: Act): Promise<void> => {
    const next = this.acts.then(async () => this.took((await this.reader.act(this.state.text, a)).text))
    this.acts = next.catch(() => undefined)
    return next
  }

  set = (path: Path, value: unknown, order?: string[]) => this.act({ do: 'set', path, value, order })

  /** call gives it another id, while there is no such file yet. */
  call = (id: string) => {
    this.id = id
    return this.set([this.kind], id)
  }

  /** write puts another text in place of the whole. */
  write = (text: string) => void this.took(text)

  private async took(text: string) {
    this.put({ text })
    const tree = await this.reader.tree(text)
    if (this.state.text !== text) return
    this.put(tree)
    window.clearTimeout(this.asking)
    this.asking = window.setTimeout(() => void this.look(), pause)
  }

  private path = () => `/definitions/${this.kind}/${encodeURIComponent(this.id)}`

  /** look asks what it would mean. */
  look = async () => {
    const { text } = this.state
    if (!this.id) return
    const meant = await call<Definition>('POST', `${this.path()}/read`, { text, beside: this.beside }).catch(
      () => undefined,
    )
    if (this.state.text === text && meant) this.put({ meant, problems: meant.problems })
  }

  /** keep writes it; it acts from then on. */
  keep = async (secret?: string): Promise<Defined> => {
    await this.acts
    const { text } = this.state
    const body = { text, from: this.from, beside: this.beside, secret: secret || undefined }
    const made = await call<Defined>('PUT', this.path(), body)
    this.from = text
    void this.look()
    return made
  }

  end = () => {
    window.clearTimeout(this.asking)
    this.reader.end()
  }
}
