import { useBuild, useDraftState } from './use-draft'

interface Shown {
  adding?: string // below the line of this path; "" at the top
  setAdding: (path: string) => void
  search: (path: string) => React.ReactNode
}

/** Ends is how a script begins and goes on: what is still to be written, and one more of what is. */
export function Ends({ adding, setAdding, search }: Shown) {
  const { draft } = useBuild()
  const { lines } = useDraftState(draft)
  const triggers = lines.filter((l) => l.kind === 'trigger')
  const last = lines.findLast((l) => l.depth === 0 && l.number)
  return (
    <>
      {triggers.length === 0 && (
        <First title="When…" words="Choose what starts it" onClick={() => setAdding('trigger')}>
          {search('trigger')}
        </First>
      )}
      {lines.every((l) => l.kind === 'trigger' || l.kind === 'gives') && (
        <First title="Then…" words="Put in the first step" onClick={() => setAdding('')}>
          {search('')}
        </First>
      )}
      <p className="mt-2 ml-7 flex gap-5 text-[0.9rem]">
        {last && adding !== last.path && (
          <button type="button" onClick={() => setAdding(last.path)} className="text-indigo">
            + one more step
          </button>
        )}
        {triggers.length > 0 && adding !== 'trigger' && (
          <button type="button" onClick={() => setAdding('trigger')} className="text-indigo">
            + another way to start it
          </button>
        )}
      </p>
    </>
  )
}

/** First is a line that is still to be written. */
function First(p: { title: string; words: string; onClick: () => void; children: React.ReactNode }) {
  return (
    <div className="my-1 ml-7">
      {p.children || (
        <button
          type="button"
          onClick={p.onClick}
          className="rounded-md border border-dashed border-line px-3 py-1.5 text-left"
        >
          <span className="text-quiet">{p.title} </span>
          <span className="font-semibold text-indigo">{p.words}</span>
        </button>
      )}
    </div>
  )
}
