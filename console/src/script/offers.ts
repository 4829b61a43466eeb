// Everything that can stand on a line of a script.
import type { Language, Name, Tool } from '../api'
import { kindTitles, kindWords } from '../making/kinds'
import { step, trigger } from './fresh'

/** Fitting gives the value in scope that an argument of a name most likely is; nothing where there is none. */
export type Fitting = (name: string) => string | undefined

/** Offer is one thing that can be put in. */
export interface Offer {
  key: string
  group: string
  title: string
  about: string
  make: (taken: Set<string>, fitting: Fitting) => Record<string, unknown>
  opens?: string // what of it is filled in first, below its place
  connect?: string // the kind of a connection that is made first
}

/** connectOffers are the kinds of connections that are not there yet. */
export function connectOffers(language: Language): Offer[] {
  return language.protocols
    .filter((k) => k.name !== 'signing_key' && k.name !== 'model_server')
    .map((k) => ({
      key: `connect ${k.name}`,
      group: 'Connections that are not there yet',
      title: `Connect: ${kindTitles[k.name] ?? k.name}`,
      about: kindWords[k.name] ?? k.help,
      make: () => ({}),
      connect: k.name,
    }))
}

/** stepOffers are the kinds of steps in plain words, every tool, agents and workflows. */
export function stepOffers(language: Language, tools: Tool[], names: Name[]): Offer[] {
  const kinds = language.steps
    .filter((k) => !['tool', 'agent', 'call'].includes(k.name))
    .map((k) => ({
      key: `kind ${k.name}`,
      group: 'Kinds of steps',
      title: k.help.replace(/\.$/, ''),
      about: known[k.name] ?? k.name.replaceAll('_', ' '),
      make: (taken: Set<string>) => step(language, k.name, taken, defaults(k.name, names)),
      opens: k.name === 'decide' ? '/decide/cases/0' : undefined,
    }))
  const titles = new Map(
    names.filter((n) => n.holds === 'connection' || n.holds === 'table').map((n) => [n.name, n.title]),
  )
  const calls = tools.map((t) => ({
    key: `tool ${t.name}`,
    group: titles.get(t.connection) ?? t.connection,
    title: (t.title || t.name).replace(/^[^:]*: /, ''),
    about: `${t.readOnlyHint ? 'reads' : 'changes something'} · ${t.description}`,
    make: (taken: Set<string>, fitting: Fitting) => callOf(language, t, taken, fitting),
  }))
  const agents = named(names, 'agent').map((n) => ({
    key: `agent ${n.name}`,
    group: 'Agents',
    title: `Have ${n.title} do something`,
    about: n.about ?? '',
    make: (taken: Set<string>) => step(language, 'agent', taken, { agent: n.name, task: '' }, n.name),
  }))
  const workflows = named(names, 'workflow').map((n) => ({
    key: `workflow ${n.name}`,
    group: 'Workflows',
    title: `Run ${n.title}`,
    about: n.about ?? '',
    make: (taken: Set<string>) => step(language, 'call', taken, { call: n.name }, n.name),
  }))
  return [...kinds, ...calls, ...agents, ...workflows, ...connectOffers(language)]
}

/** known are the words people have for a kind of step, to be found by. */
const known: Record<string, string> = {
  compute: 'work out, reckon, add up, make a text',
  decide: 'decide, if, choose a way, sort',
  each: 'for each, loop, list',
  together: 'at the same time, several ways at once',
  repeat: 'again and again, till it is enough',
  section: 'group, section',
  wait: 'wait, pause, later, till',
  model: 'ask a model, write, summarise, read',
  javascript: 'code, JavaScript',
  say: 'say, write, answer in the chat',
  question: 'ask, question, in the chat',
  review: 'ask a person, approve, decide, review',
  answer_caller: 'answer, reply to the caller',
  label: 'label, mark, tag',
  remember: 'remember, fact, memory',
  end_run: 'end, stop, fail',
}

/** triggerOffers are the ways a workflow can start. */
export function triggerOffers(language: Language, workflow: string): Offer[] {
  return language.triggers.map((k) => ({
    key: `trigger ${k.name}`,
    group: 'What starts it',
    title: k.help.replace(/\.$/, ''),
    about: k.name,
    make: (taken: Set<string>) => trigger(language, k.name, taken, workflow),
  }))
}

const named = (names: Name[], holds: string) => names.filter((n) => n.holds === holds)

function defaults(kind: string, names: Name[]): Record<string, unknown> {
  if (kind === 'model') return { model: named(names, 'model')[0]?.name ?? '' }
  if (kind === 'review') return { ask: named(names, 'people').find((n) => n.kind === 'team')?.name ?? 'builder' }
  return {}
}

/** callOf is a step that calls a tool, with the arguments it needs, and what fits them by its name. */
function callOf(language: Language, t: Tool, taken: Set<string>, fits: Fitting) {
  const input = t.input as { required?: string[]; properties?: object } | undefined
  const args: Record<string, string> = {}
  for (const name of Object.keys(input?.properties ?? {})) {
    const value = fits(name)
    if (value !== undefined || input?.required?.includes(name)) args[name] = value ?? ''
  }
  const more = Object.keys(args).length ? { tool: t.name, args } : { tool: t.name }
  return step(language, 'tool', taken, more, t.name.split('/').pop())
}

/** fitting are the offers that have all of the words. */
export function fitting(offers: Offer[], words: string): Offer[] {
  if (words.trim() === '') return offers
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean)
  const fits = (o: Offer) => {
    const said = `${o.title} ${o.group} ${o.about} ${o.key}`.toLowerCase().replaceAll(/[_/]/g, ' ')
    return wanted.every((w) => said.includes(w))
  }
  const whole = words.trim().toLowerCase()
  const rank = (o: Offer) =>
    o.about.toLowerCase().startsWith(whole) ? 0 : wanted.every((w) => o.title.toLowerCase().includes(w)) ? 1 : 2
  return offers.filter(fits).toSorted((a, b) => rank(a) - rank(b))
}
