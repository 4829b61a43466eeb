import { X } from 'lucide-react'
import { useState } from 'react'
import type { Field } from '../api'
import { FieldInput } from './field-input'
import { titled } from './language'
import { pathOf, pointerTo, valueAt, type Path } from './pointer'
import { NewRow } from './rows'
import { useBuild, useDraftState } from './use-draft'

interface Way {
  at: Path
  words: string
  gives: Record<string, unknown>
}

const cell: Field = { name: 'gives', holds: 'text', help: '' }

/** WaysTable is what leaves each way of a decision, as one table: a row a way, a column a value. */
export function WaysTable({ place }: { place: string }) {
  const { draft } = useBuild()
  const ways = useWays(place)
  const [added, setAdded] = useState<string[]>([])
  const columns = [...new Set([...ways.flatMap((w) => Object.keys(w.gives)), ...added])]
  const drop = (column: string) => {
    setAdded(added.filter((a) => a !== column))
    const paths = ways.filter((w) => column in w.gives)
    void draft.actAll(
      paths.map((w) => {
        const only = Object.keys(w.gives).length === 1
        return { do: 'set', path: only ? [...w.at, 'gives'] : [...w.at, 'gives', column], value: undefined }
      }),
    )
  }
  const fill = (from: Way, column: string, texts: string[]) => {
    const below = ways.slice(ways.indexOf(from)).filter((_, i) => texts[i])
    const at = ways.indexOf(from)
    void draft.actAll(
      below.map((w) => ({ do: 'set', path: [...w.at, 'gives', column], value: texts[ways.indexOf(w) - at] })),
    )
  }
  return (
    <div className="py-1.5">
      <p className="font-semibold">What each way gives</p>
      <div className="overflow-x-auto">
        <table className="w-full border-separate border-spacing-1">
          <thead>
            <tr>
              <th className="text-left font-normal text-quiet">Way</th>
              {columns.map((c) => (
                <th key={c} scope="col" className="text-left font-semibold">
                  {titled(c)}
                  <button
                    type="button"
                    aria-label={`Remove ${titled(c)} from every way`}
                    onClick={() => drop(c)}
                    className="p-1 align-middle text-quiet hover:text-madder"
                  >
                    <X className="size-3.5" aria-hidden="true" />
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {ways.map((w, i) => (
              <WayRow
                key={pointerTo(w.at)}
                way={w}
                columns={columns}
                begin={i === 0 ? added.at(-1) : undefined}
                fill={fill}
              />
            ))}
          </tbody>
        </table>
      </div>
      <p className="flex flex-wrap items-center gap-4">
        <NewRow
          taken={columns}
          label="Name of one more value of every way"
          onAdd={(name) => setAdded([...added, name])}
        />
      </p>
    </div>
  )
}

/** pasted are the lines of what is pasted, where it has several: they fill the column from here down. */
const pasted = (e: React.ClipboardEvent) => {
  const lines = e.clipboardData.getData('text').replaceAll('\r', '').replace(/\n$/, '').split('\n')
  return lines.length > 1 ? lines : undefined
}

interface RowShown {
  way: Way
  columns: string[]
  begin?: string // the column that was added just now
  fill: (from: Way, column: string, texts: string[]) => void
}

function WayRow({ way, columns, begin, fill }: RowShown) {
  const { draft } = useBuild()
  const set = (column: string, v: unknown, typing?: boolean) => {
    const all = Object.keys(way.gives)
    const gone = v === undefined || v === ''
    if (gone && !(column in way.gives)) return
    const whole = gone && all.length === 1
    void draft.set(
      [...way.at, 'gives', ...(whole ? [] : [column])],
      gone ? undefined : v,
      undefined,
      typing ? 'way' : '',
    )
  }
  return (
    <tr>
      <th scope="row" className="max-w-52 min-w-32 pr-2 text-left align-top text-[0.9rem] font-normal">
        <button
          type="button"
          className="line-clamp-2 pt-1.5 text-left hover:underline"
          onClick={() => draft.mark({ line: pointerTo(way.at), open: pointerTo(way.at) })}
        >
          {way.words}
        </button>
      </th>
      {columns.map((c) => (
        <td
          key={c}
          className="min-w-32 align-top"
          onPasteCapture={(e) => {
            const texts = pasted(e)
            if (!texts) return
            e.preventDefault()
            e.stopPropagation()
            fill(way, c, texts)
          }}
        >
          <FieldInput
            field={cell}
            label={`${titled(c)} ${way.words}`}
            place={pointerTo([...way.at, 'gives', c])}
            value={way.gives[c]}
            autoFocus={c === begin}
            onSet={(v, typing) => set(c, v, typing)}
          />
        </td>
      ))}
    </tr>
  )
}

/** useWays are the ways a decision can go, with the words the script has for each. */
function useWays(place: string): Way[] {
  const { draft } = useBuild()
  const { tree, lines } = useDraftState(draft)
  const at = [...pathOf(place), 'decide']
  const decide = (valueAt(tree, at) ?? {}) as { cases?: unknown; unsure?: unknown; otherwise?: unknown }
  const cases = Array.isArray(decide.cases) ? decide.cases : []
  const paths: Path[] = cases.map((_, i) => [...at, 'cases', i])
  if (decide.unsure !== undefined) paths.push([...at, 'unsure'])
  if (decide.otherwise !== undefined) paths.push([...at, 'otherwise'])
  return paths.map((p) => {
    const said = lines.find((l) => l.field === pointerTo(p))?.parts.map((part) => part.text) ?? []
    const words = said.join('').split(/, giving |:$/)[0]
    return {
      at: p,
      words: words || titled(String(p.at(-1))),
      gives: (valueAt(tree, [...p, 'gives']) ?? {}) as object,
    } as Way
  })
}
