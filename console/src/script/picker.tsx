import { useId, useMemo, useState } from 'react'
import { gist } from '../words'
import { titled } from './language'
import { found, type Leaf } from './scope'
import { drag } from '../parts/dragged'

/** Picker lists the values that may be read, with what they were, and gives the one that is chosen. */
export function Picker({
  leaves,
  onPick,
  onClose,
}: {
  leaves: Leaf[]
  onPick: (l: Leaf) => void
  onClose: () => void
}) {
  const [words, setWords] = useState('')
  const [at, setAt] = useState(0)
  const [open, setOpen] = useState<Set<string>>(new Set())
  const id = useId()
  const rows = useMemo(() => (words ? flat(found(leaves, words)) : unfolded(leaves, open)), [leaves, words, open])
  const now = rows[Math.min(at, rows.length - 1)]
  const press = (e: React.KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[e.key]
    if (step) setAt(Math.max(0, Math.min(rows.length - 1, at + step)))
    else if (e.key === 'Enter' && now) onPick(now.leaf)
    else if (e.key === 'Escape') onClose()
    else if (e.key === 'ArrowRight' && now && !words) setOpen(new Set([...open, now.leaf.code]))
    else if (e.key === 'ArrowLeft' && now && !words) setOpen(new Set([...open].filter((c) => c !== now.leaf.code)))
    else return
    e.preventDefault()
    e.stopPropagation()
  }
  return (
    <div className="w-104 max-w-[90vw]">
      <input
        autoFocus
        role="combobox"
        aria-expanded="true"
        aria-controls={id}
        aria-activedescendant={now && `${id}-${rows.indexOf(now)}`}
        aria-label="Find a value"
        placeholder="Find a value"
        value={words}
        onChange={(e) => {
          setWords(e.target.value)
          setAt(0)
        }}
        onKeyDown={press}
        className="w-full rounded-t-md border-b border-line bg-raised px-3 py-2 outline-none"
      />
      <ul id={id} role="listbox" aria-label="Values" className="max-h-72 overflow-y-auto py-1">
        {rows.length === 0 && <li className="px-3 py-2 text-quiet">Nothing here is called that.</li>}
        {rows.slice(0, 200).map((r, i) => (
          <li
            key={r.leaf.code}
            id={`${id}-${i}`}
            role="option"
            aria-selected={r === now}
            draggable
            onDragStart={(e) => drag(e, { code: codeOf(r.leaf) })}
            onMouseDown={(e) => e.preventDefault()}
            onClick={() => onPick(r.leaf)}
            className={`flex cursor-pointer items-baseline gap-2 px-3 py-1 ${r === now ? 'bg-wash' : ''}`}
            style={{ paddingLeft: `${0.75 + r.depth}rem` }}
          >
            <span className="shrink-0 font-semibold text-indigo" title={r.leaf.code}>
              {titled(r.leaf.name)}
            </span>
            {words && <span className="truncate text-[0.84rem] text-quiet">{whose(r.leaf)}</span>}
            {r.leaf.optional && <span className="text-[0.84rem] text-quiet">may be missing</span>}
            <span className="ml-auto truncate font-mono text-[0.84rem] text-quiet">
              {r.leaf.value !== undefined ? gist(r.leaf.value) : r.leaf.kind}
            </span>
          </li>
        ))}
      </ul>
      <p className="border-t border-line px-3 py-1.5 text-[0.84rem] text-quiet">
        Enter puts it in · → opens what is inside
      </p>
    </div>
  )
}

/** codeOf reads a value, with nothing in its place where it may be missing. */
export const codeOf = (l: Leaf) => {
  const code = l.code.replaceAll('.?', '.')
  if (!l.optional) return code
  return `otherwise(${code}, ${l.kind === 'number' ? '0' : l.kind === 'list' ? '[]' : '""'})`
}

/** whose says in words what a value belongs to. */
function whose(l: Leaf): string {
  const path = l.code.replaceAll('.?', '.').split('.').slice(0, -1)
  return path.length
    ? `of ${path.toReversed().map(titled).join(' of ')}`
    : l.from !== l.name
      ? `of ${titled(l.from)}`
      : ''
}

interface Row {
  leaf: Leaf
  depth: number
}

const flat = (all: Leaf[]): Row[] => all.map((leaf) => ({ leaf, depth: 0 }))

/** unfolded shows the first two levels, and below them what was opened. */
function unfolded(all: Leaf[], open: Set<string>): Row[] {
  const out: Row[] = []
  const visit = (leaf: Leaf, depth: number) => {
    out.push({ leaf, depth })
    if (depth === 0 || open.has(leaf.code) || leaf.code === 'signal.body')
      leaf.inside.forEach((l) => visit(l, depth + 1))
  }
  all.forEach((l) => visit(l, 0))
  return out
}
