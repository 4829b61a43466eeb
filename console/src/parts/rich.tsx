import { Paperclip } from 'lucide-react'
import type { RichMessage, Stored } from '../api'
import { gist } from '../words'

/** Rich is what a message has beside its words: buttons, a file, blocks. */
export function Rich({ of, press }: { of?: RichMessage; press?: (text: string) => void }) {
  if (!of) return null
  return (
    <>
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
      {[of.picture, of.file].map((f, i) => f && <File key={i} of={f} />)}
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

/** File names a file; those who sign in can save it. */
function File({ of }: { of: Stored | string }) {
  if (typeof of === 'string')
    return (
      <p className="mt-1.5">
        <a href={of} rel="noreferrer noopener" target="_blank" className="text-indigo underline underline-offset-2">
          {of}
        </a>
      </p>
    )
  return (
    <p className="mt-1.5 flex items-center gap-1.5">
      <Paperclip size={14} aria-hidden="true" />
      <a
        href={`/api/v1/blobs/${of.blob}?name=${encodeURIComponent(of.name)}`}
        className="text-indigo underline underline-offset-2"
      >
        {of.name}
      </a>
    </p>
  )
}
