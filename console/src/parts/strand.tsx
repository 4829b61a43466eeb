import type { Status } from '../api'
import type { Rail } from './rails'

const colours: Record<string, string> = {
  done: 'var(--indigo)',
  running: 'var(--woad)',
  waiting: 'var(--weld)',
  failed: 'var(--madder)',
  uncertain: 'var(--weld)',
  stopped: 'var(--walnut)',
  skipped: 'var(--line)',
}

interface Shown {
  status?: Status
  first?: boolean
  last?: boolean
  on: boolean
  branch?: boolean
  depth: number
  rails: Rail[]
}

/** axis is how far to the right the strand of a depth runs: below the words of the line its block hangs on. */
const axis = (depth: number) => (depth <= 0 ? '50%' : `calc(50% + ${depth * 1.1 - 0.35}rem)`)

/**
 * Strand is one row's piece of the yarn that runs down a script, with those of
 * the blocks the row is in: thick as far as the run went, past the cases it did
 * not take; thin beyond; frayed where it failed. on says that the run went past
 * this row.
 */
export function Strand({ status, first, last, on, branch, depth, rails }: Shown) {
  const here = status ? colours[status] : undefined
  const line = (thick: boolean) => ({ width: thick ? 4 : 1.5, background: thick ? 'var(--indigo)' : 'var(--line)' })
  const at = axis(branch ? depth - 1 : depth)
  return (
    <span aria-hidden="true" className="pointer-events-none relative w-7 shrink-0 self-stretch">
      {!first && (
        <i className="absolute top-0 left-1/2 h-4.5 -translate-x-1/2" style={line((!!status && depth === 0) || on)} />
      )}
      {!last && (status !== 'failed' || on || depth > 0) && (
        <i className="absolute top-4.5 bottom-0 left-1/2 -translate-x-1/2" style={line(on)} />
      )}
      {rails.map((r) => (
        <i
          key={r.depth}
          className="absolute -translate-x-1/2"
          style={{
            ...line(!!status && r.depth === depth),
            left: axis(r.depth),
            top: r.above ? 0 : '1.1rem',
            bottom: r.below ? 0 : 'auto',
            height: r.below ? 'auto' : '1.1rem',
          }}
        />
      ))}
      {status === 'failed' && !on && <Frayed at={at} />}
      {branch ? <Hook at={at} here={here} /> : <Knot at={at} here={here} status={status} hollow={first} />}
    </span>
  )
}

/** Hook leads from a strand into a block. */
function Hook({ at, here }: { at: string; here?: string }) {
  return (
    <svg
      viewBox="0 0 14 10"
      className="absolute top-2.5 h-2.5 w-3.5"
      style={{ left: at }}
      fill="none"
      stroke={here ?? 'var(--quiet)'}
      strokeDasharray={here ? undefined : '1.5 2.5'}
      strokeWidth={here ? 3 : 1.2}
      strokeLinecap="round"
    >
      <path d="M0 0c0 6 4 8 12 8" />
    </svg>
  )
}

/** Knot is a step on its strand. */
function Knot({ at, here, status, hollow }: { at: string; here?: string; status?: Status; hollow?: boolean }) {
  return (
    <i
      className={`absolute top-3 size-3 -translate-x-1/2 rounded-full border-2 ${status === 'running' ? 'breathe' : ''}`}
      style={{ left: at, borderColor: here ?? 'var(--line)', background: status && !hollow ? here : 'var(--paper)' }}
    />
  )
}

function Frayed({ at }: { at: string }) {
  return (
    <svg
      viewBox="0 0 20 14"
      className="absolute top-5 h-3.5 w-5 -translate-x-1/2"
      style={{ left: at }}
      fill="none"
      stroke="var(--madder)"
      strokeWidth="1.4"
      strokeLinecap="round"
    >
      <path d="M10 0C9 5 5 6 3 12M10 0c0 5-1 8-1 13M10 0c1 5 5 6 6 11" />
    </svg>
  )
}
