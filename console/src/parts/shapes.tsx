import type { ReactNode } from 'react'
import type { Stored } from '../api'

const record = (v: unknown): v is Record<string, unknown> => v !== null && typeof v === 'object' && !Array.isArray(v)

/** isFile tells a file the service keeps. */
export const isFile = (v: unknown): v is Stored => record(v) && typeof v.blob === 'string' && typeof v.size === 'number'

/** isTable tells a list of maps whose values stand well in cells. */
export function isTable(items: unknown[]): boolean {
  if (items.length < 2 || !items.every((i) => record(i) && !isFile(i))) return false
  const columns = new Set(items.slice(0, 50).flatMap((i) => Object.keys(i as object)))
  return columns.size > 0 && columns.size <= 9
}

interface Letter {
  subject: string
  text: string
  from?: unknown
  to?: unknown
}

/** isMail tells what is written like a mail. */
export const isMail = (v: unknown): v is Letter & Record<string, unknown> =>
  record(v) && typeof v.subject === 'string' && typeof v.text === 'string'

/** Mail is a mail as one reads it; what it has beside that stands below. */
export function Mail({
  mail,
  children,
}: {
  mail: Letter & Record<string, unknown>
  children: (rest: Record<string, unknown>) => ReactNode
}) {
  const { subject, text, from, to, ...rest } = mail
  return (
    <article className="rounded border border-line bg-paper p-2.5">
      <p className="font-semibold">{subject}</p>
      {from !== undefined && <p className="text-[0.87rem] text-quiet">from {whom(from)}</p>}
      {to !== undefined && <p className="text-[0.87rem] text-quiet">to {whom(to)}</p>}
      <p className="mt-1.5 max-h-60 overflow-y-auto whitespace-pre-wrap">{text}</p>
      {Object.keys(rest).length > 0 && <div className="mt-2 border-t border-line pt-2">{children(rest)}</div>}
    </article>
  )
}

function whom(v: unknown): string {
  if (Array.isArray(v)) return v.map(whom).join(', ')
  if (record(v)) return String(v.name ?? v.email ?? '')
  return String(v)
}
