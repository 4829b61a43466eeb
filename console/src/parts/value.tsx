import { use, useState } from 'react'
import type { Stored } from '../api'
import { count, plain } from '../words'
import { Picture } from './stored'
import { Cells } from './cells'
import { drag, ReadableContext, type Readable } from './dragged'
import { isFile, isMail, isTable, Mail } from './shapes'

/** How much is shown before one asks for more: characters of a text, entries of a map or list. */
const longText = 600
const manyEntries = 24

/** Value lays a value open: maps as names and values, lists of maps as tables, files, pictures and mail as such. */
export function Value({ value }: { value: unknown }) {
  if (value === null || value === undefined || value === '') return <span className="text-quiet">nothing</span>
  if (typeof value === 'boolean') return <span className="font-mono text-[0.87rem]">{value ? 'yes' : 'no'}</span>
  if (typeof value !== 'object') return <Words text={String(value)} />
  if (isFile(value)) return <File file={value} />
  if (Array.isArray(value)) return <List items={value} />
  if (isMail(value)) return <Mail mail={value}>{(rest) => <Entries of={rest} />}</Mail>
  return <Entries of={value as Record<string, unknown>} />
}

const plainName = /^[A-Za-z_]\w*$/

function Entries({ of }: { of: Record<string, unknown> }) {
  const [all, setAll] = useState(false)
  const read = use(ReadableContext)
  const partOf = (k: string) => (read && plainName.test(k) ? { ...read, code: `${read.code}.${k}` } : undefined)
  const entries = Object.entries(of)
  if (entries.length === 0) return <span className="text-quiet">nothing in it</span>
  const shown = all ? entries : entries.slice(0, manyEntries)
  return (
    <>
      <dl className="grid grid-cols-[auto_minmax(0,1fr)] gap-x-4 gap-y-0.5">
        {shown.map(([k, v]) => (
          <div key={k} className="contents">
            <Name read={partOf(k)}>{plain(k)}</Name>
            <dd className="min-w-0">
              <ReadableContext value={partOf(k)}>
                <Value value={v} />
              </ReadableContext>
            </dd>
          </div>
        ))}
      </dl>
      {shown.length < entries.length && <More onClick={() => setAll(true)}>{entries.length - shown.length} more</More>}
    </>
  )
}

/** Name is the name of a value, by which it is dragged to where it is read. */
function Name({ read, children }: { read?: Readable; children: string }) {
  return (
    <dt
      draggable={!!read}
      title={read && 'Drag it to where it is read'}
      onDragStart={(e) => read && drag(e, read)}
      className={`text-quiet wrap-anywhere ${read ? 'cursor-grab' : ''}`}
    >
      {children}
    </dt>
  )
}

function List({ items }: { items: unknown[] }) {
  const [all, setAll] = useState(false)
  if (items.length === 0) return <span className="text-quiet">an empty list</span>
  const shown = all ? items.slice(0, 1000) : items.slice(0, manyEntries)
  return (
    <>
      {isTable(items) ? (
        <Cells rows={shown as Record<string, unknown>[]} />
      ) : (
        <ol className="space-y-0.5">
          {shown.map((v, i) => (
            <li key={i} className="flex gap-2">
              <span aria-hidden="true" className="text-[0.8rem] text-quiet">
                {i + 1}
              </span>
              <div className="min-w-0 flex-1">
                <ReadableContext value={undefined}>
                  <Value value={v} />
                </ReadableContext>
              </div>
            </li>
          ))}
        </ol>
      )}
      {shown.length < items.length &&
        (all ? (
          <p className="text-[0.87rem] text-quiet">and {count(items.length - shown.length, 'more')}, in the copy</p>
        ) : (
          <More onClick={() => setAll(true)}>{items.length - shown.length} more</More>
        ))}
    </>
  )
}

function Words({ text }: { text: string }) {
  const [all, setAll] = useState(false)
  const shown = all ? text.slice(0, 200_000) : text.slice(0, longText)
  return (
    <>
      <span className="font-mono text-[0.87rem] wrap-anywhere whitespace-pre-wrap">{shown}</span>
      {shown.length < text.length &&
        (all ? (
          <span className="block text-[0.87rem] text-quiet">… the rest is in the copy</span>
        ) : (
          <More onClick={() => setAll(true)}>{count(text.length, 'character')} in all</More>
        ))}
    </>
  )
}

function More({ onClick, children }: { onClick: () => void; children: React.ReactNode }) {
  return (
    <button type="button" onClick={onClick} className="block text-[0.87rem] text-indigo underline underline-offset-2">
      Show {children}
    </button>
  )
}

function File({ file }: { file: Stored }) {
  const address = `/api/v1/blobs/${file.blob}?name=${encodeURIComponent(file.name ?? 'file')}`
  return (
    <a href={address} className="inline-flex items-center gap-2 text-indigo underline underline-offset-2">
      {file.type?.startsWith('image/') && <Picture address={address} name={file.name} />}
      {file.name} <span className="text-quiet no-underline">{count(Math.ceil(file.size / 1024), 'KB', 'KB')}</span>
    </a>
  )
}
