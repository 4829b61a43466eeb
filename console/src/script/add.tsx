import { useMemo, useState } from 'react'
import { fitting, type Offer } from './offers'

const most = 60

/** Add searches everything that can stand on a line; several that are ticked come one after another. */
export function Add({
  offers,
  label,
  begin = '',
  onAdd,
  onClose,
}: {
  offers: Offer[]
  label: string
  begin?: string // the words it is searched for to begin with
  onAdd: (chosen: Offer[]) => void
  onClose: () => void
}) {
  const [words, setWords] = useState(begin)
  const [at, setAt] = useState(0)
  const [walked, setWalked] = useState(false) // with the arrows, so that Space ticks
  const [ticked, setTicked] = useState<Offer[]>([])
  const fits = useMemo(() => fitting(offers, words), [offers, words])
  const shown = fits.slice(0, most)
  const now = shown[Math.min(at, shown.length - 1)]
  const tick = (o: Offer) => setTicked(ticked.includes(o) ? ticked.filter((t) => t !== o) : [...ticked, o])
  const press = (e: React.KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[e.key]
    if (step) {
      setAt(Math.max(0, Math.min(shown.length - 1, at + step)))
      setWalked(true)
    } else if (e.key === ' ' && walked && now) tick(now)
    else if (e.key === 'Enter' && (ticked.length || now)) onAdd(ticked.length ? ticked : [now])
    else if (e.key === 'Escape') onClose()
    else return
    e.preventDefault()
    e.stopPropagation()
  }
  return (
    <div className="max-w-3xl rounded-lg border border-line bg-raised shadow-lg" onBlur={leaving(onClose)}>
      <input
        autoFocus
        role="combobox"
        aria-expanded="true"
        aria-controls="add-list"
        aria-activedescendant={now && `add-${shown.indexOf(now)}`}
        aria-label={label}
        placeholder="What comes here? Type what it should do, or the name of a tool"
        value={words}
        onChange={(e) => {
          setWords(e.target.value)
          setAt(0)
          setWalked(false)
        }}
        onKeyDown={press}
        className="w-full rounded-t-lg border-b border-line bg-raised px-3 py-2 outline-none"
      />
      <ul
        id="add-list"
        role="listbox"
        aria-multiselectable="true"
        aria-label={label}
        className="max-h-80 overflow-y-auto py-1"
      >
        {shown.map((o, i) => (
          <OfferRow
            key={o.key}
            id={`add-${i}`}
            offer={o}
            heading={o.group !== shown[i - 1]?.group}
            at={o === now}
            ticked={ticked.includes(o)}
            onTick={() => tick(o)}
            onAdd={() =>
              onAdd(ticked.includes(o) || ticked.length === 0 ? (ticked.length ? ticked : [o]) : [...ticked, o])
            }
          />
        ))}
        {shown.length === 0 && <li className="px-3 py-2 text-quiet">Nothing here does that. Try other words.</li>}
      </ul>
      <p className="flex justify-between border-t border-line px-3 py-1.5 text-[0.84rem] text-quiet">
        <span>↓ then Space ticks · Enter puts {ticked.length > 1 ? `${ticked.length} in` : 'it in'} · Esc closes</span>
        {fits.length > most && <span>{fits.length - most} more</span>}
      </p>
    </div>
  )
}

/** leaving closes once the focus is elsewhere. */
const leaving = (close: () => void) => (e: React.FocusEvent) => {
  if (!e.currentTarget.contains(e.relatedTarget)) close()
}

function OfferRow(p: {
  id: string
  offer: Offer
  heading: boolean
  at: boolean
  ticked: boolean
  onTick: () => void
  onAdd: () => void
}) {
  return (
    <>
      {p.heading && (
        <li role="presentation" className="px-3 pt-2 text-[0.84rem] text-quiet">
          {p.offer.group}
        </li>
      )}
      <li
        id={p.id}
        role="option"
        aria-selected={p.ticked || p.at}
        onMouseDown={(e) => e.preventDefault()}
        onClick={p.onAdd}
        ref={(el) => void (p.at && el?.scrollIntoView({ block: 'nearest' }))}
        className={`flex cursor-pointer items-baseline gap-2.5 px-3 py-1 ${p.at ? 'bg-wash' : ''}`}
      >
        <span
          aria-hidden="true"
          onClick={(e) => {
            e.stopPropagation()
            p.onTick()
          }}
          className={`size-3.5 shrink-0 self-center rounded border ${p.ticked ? 'border-indigo bg-indigo' : 'border-line'}`}
        />
        <span className="shrink-0 font-semibold">{p.offer.title}</span>
        <span className="ml-auto truncate text-[0.87rem] text-quiet">{p.offer.about}</span>
      </li>
    </>
  )
}
