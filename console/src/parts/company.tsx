import type { Agent } from '../api'
import { plain, took } from '../words'

const own: Record<string, string> = {
  plan: 'Its plan',
  'follow up': 'Goes on later',
  'call person': 'Brings somebody in',
  label: 'Marks the run',
  remember: 'Keeps a fact',
}

const kinds: Record<string, (id: string) => string> = {
  workflow: (id) => `The workflow ${id}`,
  helper: (id) => `Asked ${id}`,
  hand_off: (id) => `Handed over to ${id}`,
  self: (id) => own[id] ?? id,
}

/** companyTool names what is offered to an agent as a tool and is none of a connection. */
export function companyTool(tool: string): string | undefined {
  const [kind = '', id = ''] = tool.split('/')
  return kinds[kind]?.(plain(id))
}

interface Bar {
  from: number
  till: number
  tells: string
}

/** lanesOf says who acted when: the agents that had the work, and whom they asked. */
function lanesOf(agent: Agent): { lanes: [string, Bar[]][]; from: number; till: number } {
  const lanes = new Map<string, Bar[]>()
  const add = (who: string, bar: Bar) => lanes.set(who, [...(lanes.get(who) ?? []), bar])
  const at = (t?: string) => (t ? Date.parse(t) : NaN)
  const turns = agent.turns ?? []
  const calls = agent.calls ?? []
  const acts = agent.acts ?? []
  const from = at(agent.began)
  const ends = [...turns.map((t) => at(t.answered)), ...calls.map((c) => at(c.ended)), from].filter((n) => n > 0)
  const till = Math.max(...ends, from + 1)
  let begins = from
  acts.forEach((act) => {
    if (act.turn > 0) add(act.was, { from: begins, till: at(act.at), tells: `had it until ${act.agent} took over` })
    begins = at(act.at)
  })
  add(agent.agent, {
    from: begins,
    till,
    tells: `had it for ${took(new Date(begins).toISOString(), new Date(till).toISOString())}`,
  })
  for (const c of calls) {
    if (!c.child) continue
    const [, id = ''] = c.tool.split('/')
    add(id, { from: at(c.began), till: c.ended ? at(c.ended) : till, tells: `worked for ${took(c.began, c.ended)}` })
  }
  return { lanes: [...lanes], from, till }
}

/** Company draws who acted when, a lane for each, where more than one did. */
export function Company({ agent }: { agent: Agent }) {
  const { lanes, from, till } = lanesOf(agent)
  if (lanes.length < 2) return null
  const percent = (t: number) => (100 * (t - from)) / (till - from)
  return (
    <ol aria-label="Who acted when" className="my-2 space-y-1 text-[0.87rem]">
      {lanes.map(([who, bars]) => (
        <li key={who} className="grid grid-cols-[9rem_minmax(0,1fr)] items-center gap-2">
          <span className="truncate first-letter:uppercase">{plain(who)}</span>
          <span className="relative h-3 rounded-full bg-wash">
            {bars.map((b, i) => (
              <span
                key={i}
                title={`${plain(who)} ${b.tells}`}
                className="absolute inset-y-0 min-w-1 rounded-full bg-woad"
                style={{ left: `${percent(b.from)}%`, width: `${Math.max(percent(b.till) - percent(b.from), 0.8)}%` }}
              />
            ))}
            <span className="sr-only">{bars.map((b) => b.tells).join('; ')}</span>
          </span>
        </li>
      ))}
    </ol>
  )
}
