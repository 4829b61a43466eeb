import { useState } from 'react'

/** Part is one line of what an agent is: what it says, and its editor in place once that is pressed. */
export function Part({
  name,
  editor,
  children,
}: {
  name: string
  editor?: React.ReactNode
  children: React.ReactNode
}) {
  const [open, setOpen] = useState(false)
  return (
    <section
      aria-label={name}
      className="grid gap-x-4 gap-y-1 border-b border-line py-3 md:grid-cols-[8rem_minmax(0,1fr)]"
    >
      <h2 className="text-[0.9rem] font-semibold text-quiet">{name}</h2>
      <div className="min-w-0">
        <div className="flex items-start gap-3">
          <div className="min-w-0 flex-1">{children}</div>
          {editor && (
            <button
              type="button"
              aria-expanded={open}
              aria-label={`${open ? 'Close' : 'Change'} what it ${name.toLowerCase()}`}
              onClick={() => setOpen(!open)}
              className="text-[0.9rem] text-indigo underline underline-offset-2"
            >
              {open ? 'Close' : 'Change'}
            </button>
          )}
        </div>
        {open && <div className="mt-2 rounded-md border border-line bg-raised px-3 py-2">{editor}</div>}
      </div>
    </section>
  )
}
