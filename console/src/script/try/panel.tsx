import { useMemo, useState } from 'react'
import { Link } from 'react-router'
import type { Script } from '../../api'
import { Badge, Button } from '../../parts/states'
import { money, roughly, took } from '../../words'
import { partOf, spotOf } from '../places'
import { pathOf, valueAt } from '../pointer'
import { useBuild, useDraftState } from '../use-draft'
import { Asked } from './asked'
import { Beginning } from './beginning'
import { Outcome } from './outcome'
import type { How, Trying } from './use-trying'

const usual: How = { far: 'all', really: [], hurry: true, at: '' }

/** Panel is where a draft is tried, beside its script. */
export function Panel({ script, trying }: { script: Script; trying: Trying }) {
  const { draft } = useBuild()
  const s = useDraftState(draft)
  const [how, setHow] = useState<How>(usual)
  const here = s.lines.find((l) => l.field === s.marked.line && spotOf(l) && l.number)
  const { source } = trying
  const run = () => source && trying.start(source, how, here?.id ?? here?.path)
  return (
    <aside aria-label="Try it" className="flex flex-col gap-3 bg-raised px-4 py-4">
      <h2 className="font-semibold">Try it</h2>
      <Beginning script={script} trying={trying} />
      <Far how={how} setHow={setHow} here={here && `${here.number}`} />
      <Outside how={how} setHow={setHow} />
      <div className="flex flex-wrap items-center gap-3">
        <Button strong disabled={!source || trying.busy} onClick={run}>
          Run
        </Button>
        <span className="text-[0.87rem] text-quiet">{expected(script.usual)}</span>
      </div>
      {trying.error && (
        <p role="alert" className="text-madder">
          {trying.error.message}
        </p>
      )}
      {trying.run && (
        <p role="status" className="flex flex-wrap items-center gap-x-2 text-[0.93rem]">
          <Badge status={trying.run.status} /> {took(trying.run.accepted, trying.run.ended)}
          {trying.run.cost_micros > 0 && <span>· {money(trying.run.cost_micros)}</span>}
          <Link to={`/runs/${trying.run.id}`} className="text-indigo underline underline-offset-2">
            Open the run
          </Link>
          {trying.run.because && <span className="w-full text-madder">{trying.run.because}</span>}
        </p>
      )}
      {trying.run && <Asked run={trying.run} />}
      {trying.run && <Outcome trying={trying} how={how} />}
    </aside>
  )
}

/** expected says what such a run cost lately, and at most. */
function expected(usual: Script['usual']): string {
  if (!usual) return ''
  if (usual.most_micros === 0) return 'costs nothing'
  const most = usual.most_micros > 2 * usual.cost_micros ? `, at most ${money(usual.most_micros)}` : ''
  return roughly(usual.cost_micros) + most
}

/** Far says how much of the script is run. */
function Far({ how, setHow, here }: { how: How; setHow: (h: How) => void; here?: string }) {
  const ways: [How['far'], string][] = [
    ['all', 'all'],
    ['until', here ? `up to ${here}` : 'up to here'],
    ['step', here ? `only ${here}` : 'only this step'],
  ]
  return (
    <fieldset>
      <legend className="text-[0.87rem] text-quiet">How far</legend>
      <div className="mt-1 inline-flex overflow-hidden rounded-md border border-line">
        {ways.map(([far, words]) => (
          <label
            key={far}
            className="cursor-pointer px-3 py-1 has-checked:bg-indigo has-checked:text-on-indigo has-disabled:opacity-50 has-focus-visible:outline-2"
          >
            <input
              type="radio"
              name="far"
              className="sr-only"
              checked={how.far === far}
              disabled={far !== 'all' && !here}
              onChange={() => setHow({ ...how, far })}
            />
            {words}
          </label>
        ))}
      </div>
    </fieldset>
  )
}

/** Outside says what changes something, and what of it is real. */
function Outside({ how, setHow }: { how: How; setHow: (h: How) => void }) {
  const changing = useChanging()
  const turn = (tool: string, on: boolean) =>
    setHow({ ...how, really: on ? [...how.really, tool] : how.really.filter((t) => t !== tool) })
  return (
    <fieldset className="space-y-1">
      <legend className="text-[0.87rem] text-quiet">Outside</legend>
      <p>
        {changing.length === 0
          ? 'Nothing outside is changed.'
          : 'What changes anything is held back, but for what is ticked:'}
      </p>
      {changing.map((t) => (
        <label key={t.name} className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={how.really.includes(t.name)}
            onChange={(e) => turn(t.name, e.target.checked)}
            className="size-4 accent-indigo"
          />
          {t.title} <span className="text-quiet">really</span>
        </label>
      ))}
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={how.hurry}
          onChange={(e) => setHow({ ...how, hurry: e.target.checked })}
          className="size-4 accent-indigo"
        />
        Waits end at once
      </label>
      <label className="flex items-center gap-2">
        As if it were
        <input
          type="datetime-local"
          aria-label="As if it were"
          value={how.at}
          onChange={(e) => setHow({ ...how, at: e.target.value })}
          className="rounded-md border border-line bg-paper px-2 py-0.5"
        />
      </label>
    </fieldset>
  )
}

/** useChanging are the tools the script's own steps call that change something. */
function useChanging() {
  const { draft, tools } = useBuild()
  const s = useDraftState(draft)
  return useMemo(() => {
    const used = new Set(s.lines.map((l) => valueAt(s.tree, [...pathOf(partOf(l)), 'tool'])))
    return tools.filter((t) => used.has(t.name) && !t.readOnlyHint)
  }, [s.lines, s.tree, tools])
}
