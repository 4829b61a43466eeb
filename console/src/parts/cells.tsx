import { cell, gist, plain } from '../words'

/** Cells is a list of maps as a table. */
export function Cells({ rows }: { rows: Record<string, unknown>[] }) {
  const columns = [...new Set(rows.flatMap((r) => Object.keys(r)))]
  return (
    <div className="max-h-96 overflow-auto rounded border border-line" tabIndex={0}>
      <table className="w-full text-left text-[0.87rem]">
        <thead className="sticky top-0 bg-raised text-quiet">
          <tr>
            {columns.map((c) => (
              <th key={c} scope="col" className="px-2 py-1 font-normal whitespace-nowrap">
                {plain(c)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody className="font-mono">
          {rows.map((r, i) => (
            <tr key={i} className="border-t border-line align-top">
              {columns.map((c) => (
                <td key={c} className="max-w-72 truncate px-2 py-1" title={gist(r[c]).slice(0, 1000)}>
                  {typeof r[c] === 'object' ? gist(r[c]).slice(0, 200) : cell(r[c]).slice(0, 200)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}
