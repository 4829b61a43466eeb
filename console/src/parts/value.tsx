import { plain } from '../words'

/** Value lays a JSON value open: maps as names and values, everything else as it is. */
export function Value({ value }: { value: unknown }) {
  if (value !== null && typeof value === 'object' && !Array.isArray(value)) {
    const entries = Object.entries(value)
    if (entries.length === 0) return <p className="text-quiet">nothing</p>
    return (
      <dl className="grid grid-cols-[auto_minmax(0,1fr)] gap-x-4 gap-y-0.5">
        {entries.map(([k, v]) => (
          <div key={k} className="contents">
            <dt className="text-quiet">{plain(k)}</dt>
            <dd className="min-w-0">
              <Leaf value={v} />
            </dd>
          </div>
        ))}
      </dl>
    )
  }
  return <Leaf value={value} />
}

function Leaf({ value }: { value: unknown }) {
  if (value === null || value === undefined || value === '') return <span className="text-quiet">nothing</span>
  const text = typeof value === 'object' ? JSON.stringify(value, null, 2) : String(value)
  return <span className="font-mono text-[0.87rem] break-words whitespace-pre-wrap">{text}</span>
}
