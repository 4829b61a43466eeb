import type { Path } from './pointer'
import type { Act } from './splice'
import type { Acted, Question, Told, Tree } from './worker'

/** Reader is one worker that reads and changes the texts of one page. */
export class Reader {
  private worker = new Worker(new URL('./worker.ts', import.meta.url), { type: 'module' })
  private asked = 0
  private waiting = new Map<number, { done: (said: never) => void; fail: (e: Error) => void }>()

  constructor() {
    this.worker.onmessage = (e: MessageEvent<{ n: number; said?: unknown; wrong?: string }>) => {
      const waits = this.waiting.get(e.data.n)
      this.waiting.delete(e.data.n)
      if (e.data.wrong !== undefined) waits?.fail(new Error(e.data.wrong))
      else waits?.done(e.data.said as never)
    }
  }

  private ask<T>(question: Question): Promise<T> {
    const n = ++this.asked
    return new Promise<T>((done, fail) => {
      this.waiting.set(n, { done, fail })
      this.worker.postMessage({ n, question })
    })
  }

  act = (text: string, act: Act) => this.ask<Acted>({ ask: 'act', text, act })
  copy = (text: string, list: Path, at: number, count: number) =>
    this.ask<string>({ ask: 'copy', text, list, at, count })
  print = (items: unknown[]) => this.ask<string>({ ask: 'print', items })
  tree = (text: string) => this.ask<Tree>({ ask: 'tree', text })
  read = (workflow: string, text: string) =>
    this.ask<Told | { refused: string; status: number }>({ ask: 'read', workflow, text })

  end() {
    this.worker.terminate()
  }
}
