// An agent's file as its page reads it.

/** Granted is a tool an agent may use: its name alone, or with when somebody is asked, and what is fixed. */
export interface Granted {
  tool: string
  approval?: 'none' | { always?: boolean; when?: string; ask?: string }
  args?: Record<string, unknown>
  editable?: string[]
}

export interface AgentFile {
  title?: string
  purpose?: string
  model?: string
  instructions?: string
  tools?: (string | Granted)[]
  memory?: { keep?: { turns?: number }; facts?: string[] }
  limits?: Record<string, string | number>
  inputs?: Schema
  answer?: Schema
}

interface Schema {
  properties?: Record<string, unknown>
}

/** grantOf reads one of its tools. */
export const grantOf = (t: string | Granted): Granted => (typeof t === 'string' ? { tool: t } : t)

/** written is a tool as the file is to have it: its name alone where nothing is said of it. */
export const written = (g: Granted): string | Granted => (Object.keys(g).length === 1 ? g.tool : g)

/** Section is a part of what an agent is told. */
export interface Section {
  heading: string
  lines: number
}

/** sections are those of what it is told: a heading begins with #, or stands alone and ends with a colon. */
export function sections(text: string): Section[] {
  const out: Section[] = []
  for (const line of text.split('\n').map((l) => l.trim())) {
    if (line === '') continue
    if (line.startsWith('#') || (line.endsWith(':') && line.length < 60))
      out.push({ heading: line.replace(/^#+\s*/, '').replace(/:$/, ''), lines: 0 })
    else if (out.length === 0) out.push({ heading: 'How to work', lines: 1 })
    else out[out.length - 1].lines++
  }
  return out
}

const named: Record<string, string> = {
  turns: 'turns',
  tool_calls: 'calls',
  time: '',
  output_tokens: 'tokens written',
  cost: '',
  tries_per_tool: 'failures of one tool',
}

/** stops are the limits of one task, in words; usual are those nobody wrote. */
export const stops = (
  limits: Record<string, string | number>,
  usual: Record<string, string>,
  money: (n: number) => string,
) =>
  Object.entries({ ...usual, ...limits })
    .filter(([k]) => k in named)
    .map(([k, v]) => (k === 'cost' ? money(Number(v) * 1e6) : `${v} ${named[k]}`.trim()))
