import { Plus, X } from 'lucide-react'
import { useState } from 'react'
import type { Tool } from '../api'
import { useDraftState, useForm } from '../script/use-draft'
import { plain } from '../words'
import { grantOf, written, type AgentFile, type Granted } from './file'

/** useKit are the tools an agent has, and what changes them. */
function useKit() {
  const { draft, tools } = useForm()
  const { tree } = useDraftState(draft)
  const kit = ((tree as AgentFile | undefined)?.tools ?? []).map(grantOf)
  return {
    kit,
    catalogue: tools,
    put: (at: number, g: Granted) => void draft.set(['tools', at], written(g)),
    remove: (at: number) => void draft.set(['tools', at], undefined),
    add: async (names: string[]) => {
      for (const [i, name] of names.entries()) await draft.set(['tools', kit.length + i], name)
    },
  }
}

/** Kit says what an agent may use, and when somebody is asked first. */
export function Kit() {
  const { kit, catalogue } = useKit()
  if (kit.length === 0) return <p className="text-quiet">nothing: it only answers</p>
  return (
    <ul className="space-y-1">
      {kit.map((g) => (
        <li key={g.tool} className="grid gap-x-4 sm:grid-cols-[minmax(0,1fr)_minmax(0,15rem)]">
          <span>
            {titleOf(catalogue, g.tool)}
            {Object.keys(g.args ?? {}).length > 0 && (
              <span className="text-quiet">, {Object.keys(g.args!).map(plain).join(' and ')} fixed</span>
            )}
          </span>
          <span className="text-quiet">{asked(g, catalogue)}</span>
        </li>
      ))}
    </ul>
  )
}

const titleOf = (all: Tool[], name: string) => all.find((t) => t.name === name)?.title ?? `${name}, which is not there`

function asked(g: Granted, all: Tool[]): string {
  if (g.approval === 'none') return 'freely'
  if (g.approval?.when) return `after a yes of ${plain(g.approval.ask ?? '')} when ${g.approval.when}`
  if (g.approval) return `after a yes of ${plain(g.approval.ask ?? '')}`
  return all.find((t) => t.name === g.tool)?.readOnlyHint ? 'reads · freely' : 'after a yes of a reviewer'
}

/** KitEditor changes what an agent may use. */
export function KitEditor() {
  const { kit, catalogue, put, remove, add } = useKit()
  return (
    <div className="space-y-2">
      {kit.map((g, i) => (
        <Grant
          key={g.tool + i}
          of={g}
          title={titleOf(catalogue, g.tool)}
          put={(n) => put(i, n)}
          remove={() => remove(i)}
        />
      ))}
      <AddTools taken={kit.map((g) => g.tool)} catalogue={catalogue} add={(names) => void add(names)} />
    </div>
  )
}

const ways = { reads: 'as the tool is', never: 'never', always: 'each time', when: 'when a condition holds' }
type Way = keyof typeof ways

const wayOf = (g: Granted): Way =>
  g.approval === undefined
    ? 'reads'
    : g.approval === 'none'
      ? 'never'
      : g.approval.when !== undefined
        ? 'when'
        : 'always'

function Grant({
  of,
  title,
  put,
  remove,
}: {
  of: Granted
  title: string
  put: (g: Granted) => void
  remove: () => void
}) {
  const { names } = useForm()
  const way = wayOf(of)
  const rule = typeof of.approval === 'object' ? of.approval : {}
  const choose = (to: Way) => {
    const rest = { ...of }
    delete rest.approval
    const ask = rule.ask ?? 'reviewer'
    const next = { reads: {}, never: { approval: 'none' as const }, always: { approval: { always: true, ask } } }
    put(to === 'when' ? { ...rest, approval: { when: rule.when ?? 'true', ask } } : { ...rest, ...next[to] })
  }
  const people = names.filter((n) => n.holds === 'people')
  const box = 'rounded-md border border-line bg-paper px-2 py-1'
  return (
    <fieldset className="flex flex-wrap items-center gap-2 border-b border-line pb-2">
      <legend className="float-left mr-2 min-w-48 font-semibold">{title}</legend>
      <label className="flex items-center gap-1.5 text-[0.9rem]">
        somebody is asked
        <select
          aria-label={`When somebody is asked: ${title}`}
          value={way}
          onChange={(e) => choose(e.target.value as Way)}
          className={box}
        >
          {Object.entries(ways).map(([k, words]) => (
            <option key={k} value={k}>
              {words}
            </option>
          ))}
        </select>
      </label>
      {way === 'when' && (
        <input
          aria-label={`The condition: ${title}`}
          value={rule.when}
          onChange={(e) => put({ ...of, approval: { ...rule, when: e.target.value } })}
          className={`${box} font-mono text-[0.87rem]`}
        />
      )}
      {(way === 'when' || way === 'always') && (
        <select
          aria-label={`Who is asked: ${title}`}
          value={rule.ask}
          onChange={(e) => put({ ...of, approval: { ...rule, ask: e.target.value } })}
          className={box}
        >
          {people.map((n) => (
            <option key={n.name} value={n.name}>
              {n.title}
            </option>
          ))}
        </select>
      )}
      <button type="button" aria-label={`Take ${title} away`} onClick={remove} className="ml-auto text-madder">
        <X className="size-4" aria-hidden="true" />
      </button>
    </fieldset>
  )
}

/** AddTools finds tools in the catalogue; several are ticked and added at once. */
function AddTools({ taken, catalogue, add }: { taken: string[]; catalogue: Tool[]; add: (names: string[]) => void }) {
  const [words, setWords] = useState('')
  const [ticked, setTicked] = useState<string[]>([])
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean)
  const found = catalogue.filter(
    (t) => !taken.includes(t.name) && wanted.every((w) => `${t.title} ${t.description}`.toLowerCase().includes(w)),
  )
  const tick = (name: string) => setTicked((t) => (t.includes(name) ? t.filter((n) => n !== name) : [...t, name]))
  const done = () => {
    add(ticked)
    setTicked([])
    setWords('')
  }
  return (
    <div>
      <input
        aria-label="Search tools"
        placeholder="more tools: a word of what they do"
        value={words}
        onChange={(e) => setWords(e.target.value)}
        className="w-full rounded-md border border-line bg-paper px-2.5 py-1.5"
      />
      {wanted.length > 0 && (
        <ul className="mt-1 max-h-56 overflow-y-auto">
          {found.slice(0, 40).map((t) => (
            <li key={t.name}>
              <label className="flex items-baseline gap-2 py-0.5">
                <input type="checkbox" checked={ticked.includes(t.name)} onChange={() => tick(t.name)} />
                <span className="shrink-0">{t.title}</span>
                <span className="truncate text-[0.87rem] text-quiet">{t.description}</span>
              </label>
            </li>
          ))}
          {found.length === 0 && <li className="text-quiet">No tool says so.</li>}
        </ul>
      )}
      {ticked.length > 0 && (
        <button type="button" onClick={done} className="mt-1 font-semibold text-indigo">
          <Plus className="inline size-4" aria-hidden="true" /> Give it{' '}
          {ticked.length === 1 ? 'this one' : `these ${ticked.length}`}
        </button>
      )}
    </div>
  )
}
