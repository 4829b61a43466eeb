import { Plus, X } from 'lucide-react'
import { useState } from 'react'
import type { Tool } from '../api'
import { companyTool } from '../parts/company'
import { useDraftState, useForm } from '../script/use-draft'
import { plain } from '../words'
import { grantOf, whom, written, type AgentFile, type Granted } from './file'

interface Offer {
  name: string
  title: string
  description: string
}

/** own are the tools by which an agent acts on its own work. */
const own: Offer[] = [
  { name: 'self/follow_up', title: 'Goes on later', description: 'The conversation goes on by itself at a time.' },
  { name: 'self/call_person', title: 'Brings somebody in', description: 'A person answers before it goes on.' },
  { name: 'self/label', title: 'Marks the run', description: 'So that it is found by the label.' },
  { name: 'self/remember', title: 'Keeps a fact', description: 'About the person or the workspace.' },
]

/** useOffers are all the tools an agent could be given: of connections, workflows, and about its own work. */
function useOffers(): Offer[] {
  const { tools, names } = useForm()
  const workflows = names
    .filter((n) => n.holds === 'workflow' && n.kind === 'callable')
    .map((n) => ({ name: `workflow/${n.name}`, title: `The workflow ${n.title}`, description: n.about ?? '' }))
  return [...tools, ...workflows, ...own]
}

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
      for (const [i, name] of names.entries()) await draft.set(['tools', kit.length + i], written({ tool: name }))
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

const titleOf = (all: Tool[], name: string) =>
  companyTool(name) ?? all.find((t) => t.name === name)?.title ?? `${name}, which is not there`

function asked(g: Granted, all: Tool[]): string {
  if (g.approval === 'none') return 'freely'
  if (g.approval?.when) return `after a yes of ${whom(g.approval.ask)} when ${g.approval.when}`
  if (g.approval?.judge)
    return `after a yes of ${whom(g.approval.ask)} when this is judged to hold: ${g.approval.judge}`
  if (g.approval) return `after a yes of ${whom(g.approval.ask)}`
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
      <AddTools taken={kit.map((g) => g.tool)} add={(names) => void add(names)} />
    </div>
  )
}

const ways = {
  reads: 'as the tool is',
  never: 'never',
  always: 'each time',
  when: 'when a condition holds',
  judge: 'when a model judges so',
}
type Way = keyof typeof ways

const wayOf = (g: Granted): Way =>
  g.approval === undefined
    ? 'reads'
    : g.approval === 'none'
      ? 'never'
      : g.approval.when !== undefined
        ? 'when'
        : g.approval.judge !== undefined
          ? 'judge'
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
    if (to === 'when') put({ ...rest, approval: { when: rule.when ?? 'true', ask } })
    else if (to === 'judge') put({ ...rest, approval: { judge: rule.judge ?? 'It cannot be undone.', ask } })
    else put({ ...rest, ...next[to] })
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
      {way === 'judge' && (
        <input
          aria-label={`What is judged: ${title}`}
          value={rule.judge}
          onChange={(e) => put({ ...of, approval: { ...rule, judge: e.target.value } })}
          className={`${box} min-w-64`}
        />
      )}
      {(way === 'when' || way === 'always' || way === 'judge') && (
        <select
          aria-label={`Who is asked: ${title}`}
          value={rule.ask}
          onChange={(e) => put({ ...of, approval: { ...rule, ask: e.target.value } })}
          className={box}
        >
          <option value="speaker">whoever it talks with</option>
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
function AddTools({ taken, add }: { taken: string[]; add: (names: string[]) => void }) {
  const catalogue = useOffers()
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
