import { Popover } from 'radix-ui'
import { useId, useState, type RefObject } from 'react'

/** Option is one thing to choose. */
export interface Option {
  value: string
  title: string
  about?: string
  group?: string
}

/** Make makes what is not there yet to be chosen. */
export interface Make {
  title: string
  open: () => void
}

/** Choose is a field in which one of several things is chosen, or typed where any may stand. */
export function Choose({
  label,
  value,
  options,
  free,
  make,
  autoFocus,
  input,
  onChoose,
}: {
  label: string
  value: string
  options: Option[]
  free?: boolean
  make?: Make
  autoFocus?: boolean
  input?: RefObject<HTMLInputElement | null>
  onChoose: (value: string) => void
}) {
  const [typed, setTyped] = useState<string>()
  const [at, setAt] = useState(0)
  const id = useId()
  const words = (typed ?? '').toLowerCase()
  const fits = options
    .filter((o) => `${o.title} ${o.value} ${o.group ?? ''}`.toLowerCase().includes(words))
    .slice(0, 100)
  if (make) fits.push({ value: '', title: make.title })
  const open = typed !== undefined
  const shown = options.find((o) => o.value === value)?.title ?? value
  const choose = (v: string) => {
    setTyped(undefined)
    if (v === '' && make) make.open()
    else if (v !== value) onChoose(v)
  }
  const leave = () => {
    if (free && typed) choose(typed)
    setTyped(undefined)
  }
  const press = (e: React.KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[e.key]
    if (step) {
      setTyped(typed ?? '')
      setAt(open ? Math.max(0, Math.min(fits.length - 1, at + step)) : 0)
    } else if (e.key === 'Enter' && open && (fits[at] || free)) choose(fits[at]?.value ?? typed)
    else if (e.key === 'Escape' && open) setTyped(undefined)
    else return
    e.preventDefault()
    e.stopPropagation()
  }
  return (
    <Popover.Root open={open}>
      <Popover.Anchor asChild>
        <input
          ref={input}
          role="combobox"
          aria-label={label}
          aria-expanded={open}
          aria-controls={id}
          aria-activedescendant={open && fits[at] ? `${id}-${at}` : undefined}
          autoFocus={autoFocus}
          value={typed ?? shown}
          placeholder="choose"
          onClick={() => setTyped('')}
          onChange={(e) => {
            setTyped(e.target.value)
            setAt(0)
          }}
          onKeyDown={press}
          onBlur={leave}
          className="w-full rounded-md border border-line bg-paper px-2.5 py-1.5"
        />
      </Popover.Anchor>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          onOpenAutoFocus={(e) => e.preventDefault()}
          onCloseAutoFocus={(e) => e.preventDefault()}
          className="z-30 w-(--radix-popover-trigger-width) min-w-72 rounded-md border border-line bg-raised shadow-lg"
        >
          <Options id={id} label={label} fits={fits} at={at} free={free} choose={choose} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** Options are what fits, one below the other. */
function Options(p: {
  id: string
  label: string
  fits: Option[]
  at: number
  free?: boolean
  choose: (value: string) => void
}) {
  const { id, label, fits, at, free, choose } = p
  return (
    <ul id={id} role="listbox" aria-label={label} className="max-h-72 overflow-y-auto py-1">
      {fits.map((o, i) => (
        <li
          key={o.value}
          id={`${id}-${i}`}
          role="option"
          aria-selected={i === at}
          onMouseDown={(e) => e.preventDefault()}
          onClick={() => choose(o.value)}
          className={`cursor-pointer px-3 py-1 ${i === at ? 'bg-wash' : ''}`}
        >
          <span className="font-semibold">{o.title}</span>{' '}
          {o.about && <span className="text-[0.87rem] text-quiet">{o.about}</span>}
        </li>
      ))}
      {fits.length === 0 && (
        <li className="px-3 py-1 text-quiet">{free ? 'Enter takes what is typed.' : 'Nothing is called that.'}</li>
      )}
    </ul>
  )
}
