// What was done to a text, to be undone and done again without end.

/** Change puts one piece of a text in place of another. */
export interface Change {
  at: number
  was: string
  now: string
}

/** between is the smallest change that makes one text of another. */
export function between(from: string, to: string): Change {
  let at = 0
  const shortest = Math.min(from.length, to.length)
  while (at < shortest && from[at] === to[at]) at++
  let end = 0
  while (end < shortest - at && from[from.length - 1 - end] === to[to.length - 1 - end]) end++
  return { at, was: from.slice(at, from.length - end), now: to.slice(at, to.length - end) }
}

export const does = (text: string, c: Change) => text.slice(0, c.at) + c.now + text.slice(c.at + c.was.length)
export const undoes = (text: string, c: Change) => text.slice(0, c.at) + c.was + text.slice(c.at + c.now.length)

/** together is how long what is typed in one place is one change, in milliseconds. */
const together = 1500

/** History is the changes of one text. */
export class History {
  private past: Change[] = []
  private future: Change[] = []
  private typed?: { from: string; in: string; till: number }

  get canUndo() {
    return this.past.length > 0
  }

  get canRedo() {
    return this.future.length > 0
  }

  /** note remembers a change; typing names the place where it is typed, "" none. */
  note(from: string, to: string, typing: string, now = performance.now()) {
    if (from === to) return
    this.future = []
    if (typing && this.typed?.in === typing && now < this.typed.till) {
      this.past[this.past.length - 1] = between(this.typed.from, to)
      this.typed.till = now + together
      return
    }
    this.past.push(between(from, to))
    this.typed = typing ? { from, in: typing, till: now + together } : undefined
  }

  undo(text: string): string {
    const c = this.past.pop()
    if (!c) return text
    this.typed = undefined
    this.future.push(c)
    return undoes(text, c)
  }

  redo(text: string): string {
    const c = this.future.pop()
    if (!c) return text
    this.past.push(c)
    return does(text, c)
  }

  /** merged lets the changes stand in a text somebody else changed too; those it runs into are forgotten. */
  merged(from: string, to: string) {
    const theirs = between(from, to)
    this.typed = undefined
    this.future = []
    const by = theirs.now.length - theirs.was.length
    let at = theirs.at // in the text as it was after the change that is looked at
    const kept: Change[] = []
    for (const c of this.past.toReversed()) {
      const behind = at >= c.at + c.now.length
      if (!behind && at + theirs.was.length > c.at) break
      kept.unshift(behind ? c : { ...c, at: c.at + by })
      if (behind) at += c.was.length - c.now.length
    }
    this.past = kept
  }
}
