import { useQuery } from '@tanstack/react-query'
import { Paperclip } from 'lucide-react'
import { useEffect, useMemo } from 'react'
import type { RichMessage, Stored } from '../api'
import { gist } from '../words'
import { Picture } from './stored'

/** Rich is what a message has beside its words: buttons, a file, blocks. */
export function Rich(p: { of?: RichMessage; press?: (text: string) => void; fetches?: Fetches }) {
  const { of, press, fetches } = p
  if (!of) return null
  return (
    <>
      {of.cut && <p className="text-[0.87rem] text-quiet">It broke off here.</p>}
      {of.layout?.map((b, i) => (
        <div key={i} className="mt-2 border-l-2 border-line pl-2.5">
          {b.heading && <p className="font-semibold">{b.heading}</p>}
          {b.text && <p>{b.text}</p>}
          {b.facts && (
            <dl className="grid grid-cols-[auto_minmax(0,1fr)] gap-x-3">
              {Object.entries(b.facts).map(([k, v]) => (
                <div key={k} className="contents">
                  <dt className="text-quiet">{k}</dt>
                  <dd>{gist(v)}</dd>
                </div>
              ))}
            </dl>
          )}
        </div>
      ))}
      {[of.picture, of.file].map((f, i) => f && <File key={i} of={f} fetches={fetches} />)}
      {of.buttons && (
        <div className="mt-2 flex flex-wrap gap-1.5">
          {of.buttons.map((b) => (
            <button
              key={b}
              type="button"
              disabled={!press}
              onClick={() => press?.(b)}
              className="rounded-full border border-indigo px-3 py-1 text-indigo hover:bg-wash disabled:border-line disabled:text-quiet"
            >
              {b}
            </button>
          ))}
        </div>
      )}
    </>
  )
}

/** Fetches is how a page gets the bytes of a file; nothing where an address of the API does. */
export type Fetches = (file: Stored) => Promise<Blob>

/** File shows a picture, and names a file that can be saved. */
function File({ of, fetches }: { of: Stored | string; fetches?: Fetches }) {
  if (typeof of === 'string')
    return (
      <p className="mt-1.5">
        <a href={of} rel="noreferrer noopener" target="_blank" className="text-indigo underline underline-offset-2">
          {of}
        </a>
      </p>
    )
  if (fetches) return <Fetched of={of} fetches={fetches} />
  return <Saved of={of} address={`/api/v1/blobs/${of.blob}?name=${encodeURIComponent(of.name)}`} />
}

/** Fetched is a file that only its reader's key opens: it is fetched with it, and shown from memory. */
function Fetched({ of, fetches }: { of: Stored; fetches: Fetches }) {
  const bytes = useQuery({ queryKey: ['file', of.blob], queryFn: () => fetches(of), staleTime: Infinity })
  const address = useMemo(
    () => bytes.data && URL.createObjectURL(new Blob([bytes.data], { type: shown.has(of.type) ? of.type : '' })),
    [bytes.data, of.type],
  )
  useEffect(() => () => void (address && URL.revokeObjectURL(address)), [address])
  if (bytes.error) return <p className="mt-1.5 text-quiet">{of.name} is no longer kept.</p>
  return address ? <Saved of={of} address={address} /> : <p className="breathe mt-1.5">{of.name}</p>
}

/** shown are the kinds of picture every browser shows, and none of which can do anything. */
const shown = new Set(['image/png', 'image/jpeg', 'image/gif', 'image/webp'])

function Saved({ of, address }: { of: Stored; address: string }) {
  return (
    <p className="mt-1.5">
      <a href={address} download={of.name} className="inline-block text-indigo underline underline-offset-2">
        {shown.has(of.type) ? (
          <Picture address={address} name={of.name} />
        ) : (
          <span className="flex items-center gap-1.5">
            <Paperclip size={14} aria-hidden="true" />
            {of.name}
          </span>
        )}
      </a>
    </p>
  )
}
