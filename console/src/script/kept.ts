// What was written and is not kept by the service yet stays in the browser, so
// that a crash or a closed tab loses nothing.

export interface Left {
  text: string
  from: string // the text it was made from
}

const name = (person: string, workflow: string) => `woolsignal-draft ${person} ${workflow}`

export function keep(person: string, workflow: string, left: Left) {
  try {
    localStorage.setItem(name(person, workflow), JSON.stringify(left))
  } catch {
    // No room, or none allowed: the service keeps it in a moment.
  }
}

export function keptOf(person: string, workflow: string): Left | undefined {
  try {
    const left = localStorage.getItem(name(person, workflow))
    return left ? (JSON.parse(left) as Left) : undefined
  } catch {
    return undefined
  }
}

export function forget(person: string, workflow: string) {
  try {
    localStorage.removeItem(name(person, workflow))
  } catch {
    // Nothing was there.
  }
}
