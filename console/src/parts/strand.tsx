import type { Status } from '../api'

/**
 * Strand is one row's piece of the yarn that runs down a script: thick as far
 * as the run went, past the cases it did not take; thin beyond; frayed where it
 * failed. on says that the run went past this row.
 */
export function Strand({
  status,
  first,
  last,
  on,
  branch,
  inner,
}: {
  status?: Status
  first?: boolean
  last?: boolean
  on: boolean
  branch?: boolean
  inner?: boolean
}) {
  const colour: Record<string, string> = {
    done: 'var(--indigo)',
    running: 'var(--woad)',
    waiting: 'var(--weld)',
    failed: 'var(--madder)',
    uncertain: 'var(--weld)',
    stopped: 'var(--walnut)',
    skipped: 'var(--line)',
  }
  const here = status ? colour[status] : undefined
  const line = (thick: boolean) => ({ width: thick ? 4 : 1.5, background: thick ? 'var(--indigo)' : 'var(--line)' })
  return (
    <span aria-hidden="true" className="relative w-7 shrink-0 self-stretch">
      {!first && <i className="absolute top-0 left-1/2 h-4.5 -translate-x-1/2" style={line(!!status || on)} />}
      {!last && (status !== 'failed' || on) && (
        <i className="absolute top-4.5 bottom-0 left-1/2 -translate-x-1/2" style={line(on)} />
      )}
      {status === 'failed' && !on && (
        <svg
          viewBox="0 0 20 14"
          className="absolute top-5 left-1/2 h-3.5 w-5 -translate-x-1/2"
          fill="none"
          stroke="var(--madder)"
          strokeWidth="1.4"
          strokeLinecap="round"
        >
          <path d="M10 0C9 5 5 6 3 12M10 0c0 5-1 8-1 13M10 0c1 5 5 6 6 11" />
        </svg>
      )}
      {branch ? (
        <svg
          viewBox="0 0 14 10"
          className="absolute top-2.5 left-1/2 h-2.5 w-3.5"
          fill="none"
          stroke={here ?? 'var(--quiet)'}
          strokeDasharray={here ? undefined : '1.5 2.5'}
          strokeWidth={here ? 3 : 1.2}
          strokeLinecap="round"
        >
          <path d="M0 0c0 6 4 8 12 8" />
        </svg>
      ) : (
        (status || !inner) && (
          <i
            className={`absolute top-3 left-1/2 size-3 -translate-x-1/2 rounded-full border-2 ${status === 'running' ? 'breathe' : ''}`}
            style={{ borderColor: here ?? 'var(--line)', background: status && !first ? here : 'var(--paper)' }}
          />
        )
      )}
    </span>
  )
}
