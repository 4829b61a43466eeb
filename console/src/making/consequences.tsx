import { plain } from '../words'

/** Consequences says whom a change counts for, at once, and why it was refused. */
export function Consequences({ used, error }: { used: string[]; error: Error | null }) {
  return (
    <>
      {used.length > 0 && <CountsFor used={used} />}
      {error && (
        <p role="alert" className="mt-2 text-madder">
          {error.message}
        </p>
      )}
    </>
  )
}

function CountsFor({ used }: { used: string[] }) {
  const shown = used.slice(0, 8).map(plain).join(', ')
  return (
    <p className="mt-2 rounded-md border-l-4 border-weld bg-raised px-3 py-1.5">
      A change counts at once for {shown}
      {used.length > 8 && ` and ${used.length - 8} more`}.
    </p>
  )
}
