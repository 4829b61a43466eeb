// Turning values into words, in the workspace's way.

let zone = 'UTC'
let currency = 'EUR'

/** setPlace says whose time and money are meant. */
export function setPlace(z: string, c: string) {
  zone = z
  currency = c
}

export function clock(at: string): string {
  return new Intl.DateTimeFormat('en-GB', {
    timeZone: zone,
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
  }).format(new Date(at))
}

/** when says a moment as people do: the time today, else with the day. */
export function when(at: string): string {
  const day = (d: Date) => new Intl.DateTimeFormat('en-CA', { timeZone: zone }).format(d)
  const date = new Date(at)
  const time = new Intl.DateTimeFormat('en-GB', { timeZone: zone, hour: '2-digit', minute: '2-digit' }).format(date)
  if (day(date) === day(new Date())) return `${time} today`
  return new Intl.DateTimeFormat('en-GB', { timeZone: zone, day: 'numeric', month: 'short' }).format(date) + ' ' + time
}

/** ago says how long something has been going on. */
export function ago(at: string): string {
  return lasted(Math.max(0, Date.now() - Date.parse(at)))
}

export function lasted(ms: number): string {
  if (ms < 1) return '<1 ms'
  if (ms < 1000) return `${Math.round(ms)} ms`
  if (ms < 60_000) return `${(ms / 1000).toFixed(1)} s`
  if (ms < 3_600_000) return `${Math.floor(ms / 60_000)} min ${Math.floor((ms % 60_000) / 1000)} s`
  return `${Math.floor(ms / 3_600_000)} h ${Math.floor((ms % 3_600_000) / 60_000)} min`
}

export function took(from?: string, to?: string): string {
  return from && to ? lasted(Date.parse(to) - Date.parse(from)) : ''
}

/** least is the smallest sum that is told as a number. */
const least = 0.0001

/** roughly is a sum of money that may be a little more or less. */
export const roughly = (micros: number) => (micros / 1e6 < least ? money(micros) : `about ${money(micros)}`)

/** money writes millionths of the workspace's currency. */
export function money(micros: number): string {
  const units = Math.max(micros / 1e6, micros > 0 ? least : 0)
  const digits = units === 0 || units >= 0.01 ? 2 : 4
  const under = micros > 0 && micros / 1e6 < least ? 'under ' : ''
  return (
    under +
    new Intl.NumberFormat('en-GB', {
      style: 'currency',
      currency,
      minimumFractionDigits: digits,
      maximumFractionDigits: digits,
    }).format(units)
  )
}

export function count(n: number, one: string, many = one + 's'): string {
  return `${new Intl.NumberFormat('en-GB').format(n)} ${n === 1 ? one : many}`
}

/** plain turns a name of a file or tool into words. */
export function plain(name: string): string {
  return name.replaceAll('_', ' ').replaceAll('-', ' ')
}

/** gist writes a value on one line: maps as "key value" pairs. */
export function gist(v: unknown): string {
  if (v === null || v === undefined) return ''
  if (typeof v === 'string') return v
  if (typeof v !== 'object') return String(v)
  if (Array.isArray(v)) return v.length === 0 ? 'an empty list' : shortened(v, 50)
  return Object.entries(v)
    .filter(([, x]) => x !== null && x !== '')
    .map(([k, x]) => `${plain(k)} ${inner(x)}`)
    .join(' · ')
}

/** inner is a value within one: a list and a map say what is in them as far as that is little. */
function inner(v: unknown): string {
  if (typeof v === 'string') return `"${v}"`
  if (typeof v !== 'object' || v === null) return String(v ?? 'nothing')
  if (Array.isArray(v)) {
    const plainly = v.length <= 4 && v.every((x) => typeof x !== 'object')
    return v.length === 0 ? 'none' : plainly ? v.map(inner).join(', ') : `a list of ${v.length}`
  }
  const entries = Object.entries(v).map(([k, x]) => `${plain(k)} ${typeof x === 'object' ? '…' : inner(x)}`)
  return entries.length === 0 ? 'nothing' : `(${entries.slice(0, 4).join(', ')}${entries.length > 4 ? ' …' : ''})`
}

const shortened = (v: unknown[], most: number) => v.slice(0, most).map(inner).join(', ') + (v.length > most ? ' …' : '')

/** audience says whom a review is put to: "the grading lead", or an e-mail as it is. */
export function audience(of: string): string {
  return of.includes('@') ? of : 'the ' + of.replaceAll('-', ' ')
}

/** cell is a value in a table. */
export function cell(v: unknown): string {
  if (v === null || v === undefined) return ''
  if (typeof v === 'boolean') return v ? 'yes' : 'no'
  return String(v)
}

/** sureness says in words how sure a judgement is, as the service does. */
export const sureness = (sure: number) =>
  sure < 0.5 ? 'not sure' : sure < 0.7 ? 'rather sure' : sure < 0.9 ? 'fairly sure' : 'sure'
