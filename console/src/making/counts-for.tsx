import { plain } from '../words'

/** CountsFor says whom a change counts for, at once. */
export function CountsFor({ used }: { used: string[] }) {
  if (used.length === 0) return null
  const shown = used.slice(0, 8).map(plain).join(', ')
  return (
    <p className="mt-2 rounded-md border-l-4 border-weld bg-raised px-3 py-1.5">
      A change counts at once for {shown}
      {used.length > 8 && ` and ${used.length - 8} more`}.
    </p>
  )
}
