import type { ReactNode } from 'react'
import type { Status } from '../api'
import { Refused } from '../api'

/** Loading shows that something moves; it appears after a moment only. */
export function Loading() {
  return (
    <p className="breathe p-8 text-quiet" role="status">
      One moment…
    </p>
  )
}

/** Trouble says what went wrong and offers to try again. */
export function Trouble({ error, again }: { error: unknown; again?: () => void }) {
  const title = error instanceof Refused ? error.title : 'Something went wrong'
  const detail = error instanceof Refused ? error.detail : String(error)
  return (
    <div role="alert" className="m-6 max-w-xl rounded-lg border border-line bg-raised p-5">
      <h2 className="font-semibold text-madder">{title}</h2>
      <p className="mt-1">{detail}</p>
      {again && (
        <Button onClick={again} className="mt-3">
          Try again
        </Button>
      )}
    </div>
  )
}

/** Empty teaches: one sentence and the one thing to do. */
export function Empty({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="mx-auto mt-16 max-w-md px-6 text-center">
      <h2 className="text-lg font-semibold">{title}</h2>
      <p className="mt-1 text-quiet">{children}</p>
    </div>
  )
}

const looks: Record<string, { colour: string; word: string; shape: ReactNode }> = {
  queued: {
    colour: 'text-quiet',
    word: 'queued',
    shape: <circle cx="5" cy="5" r="3.5" fill="none" stroke="currentColor" strokeWidth="1.5" strokeDasharray="2 2" />,
  },
  running: {
    colour: 'text-woad',
    word: 'running',
    shape: <circle cx="5" cy="5" r="4" fill="currentColor" className="breathe" />,
  },
  waiting: {
    colour: 'text-weld',
    word: 'waiting',
    shape: <path d="M5 1v5M5 9v.1" stroke="currentColor" strokeWidth="2.2" strokeLinecap="round" />,
  },
  done: {
    colour: 'text-lichen',
    word: 'done',
    shape: (
      <path
        d="M1.5 5.5 4 8l4.5-6"
        fill="none"
        stroke="currentColor"
        strokeWidth="2"
        strokeLinecap="round"
        strokeLinejoin="round"
      />
    ),
  },
  failed: {
    colour: 'text-madder',
    word: 'failed',
    shape: <path d="M2 2l6 6M8 2 2 8" stroke="currentColor" strokeWidth="2" strokeLinecap="round" />,
  },
  stopped: {
    colour: 'text-walnut',
    word: 'stopped',
    shape: <rect x="1.5" y="1.5" width="7" height="7" fill="currentColor" />,
  },
  skipped: {
    colour: 'text-quiet',
    word: 'skipped',
    shape: <path d="M1 5h8" stroke="currentColor" strokeWidth="2" strokeLinecap="round" />,
  },
  uncertain: {
    colour: 'text-weld',
    word: 'uncertain',
    shape: (
      <path
        d="M3 3c0-3 5-2.5 4 .2C6.5 4.5 5 4.5 5 6M5 9v.1"
        fill="none"
        stroke="currentColor"
        strokeWidth="1.8"
        strokeLinecap="round"
      />
    ),
  },
}

/** Badge says a status by word, shape and colour. */
export function Badge({ status, word }: { status: Status; word?: string }) {
  const look = looks[status] ?? looks.queued
  return (
    <span className={`inline-flex items-center gap-1.5 whitespace-nowrap ${look.colour}`}>
      <svg viewBox="0 0 10 10" className="size-2.5 shrink-0" aria-hidden="true">
        {look.shape}
      </svg>
      {word ?? look.word}
    </span>
  )
}

export function Chip({ children }: { children: ReactNode }) {
  return (
    <span className="inline-flex items-center rounded-full border border-line bg-raised px-2.5 py-0.5 text-[0.9rem]">
      {children}
    </span>
  )
}

/** Button is the one button of the console; strong marks what goes on. */
export function Button({ strong, className = '', ...rest }: React.ComponentProps<'button'> & { strong?: boolean }) {
  const look = strong
    ? 'bg-indigo text-on-indigo border-indigo hover:opacity-90'
    : 'bg-raised border-line hover:border-quiet'
  return (
    <button
      type="button"
      {...rest}
      className={`inline-flex items-center gap-2 rounded-md border px-3.5 py-1.5 font-semibold disabled:opacity-50 ${look} ${className}`}
    />
  )
}

export function Key({ children }: { children: ReactNode }) {
  return (
    <kbd className="rounded border border-line bg-raised px-1.5 font-mono text-xs font-normal text-ink">{children}</kbd>
  )
}
