// An agent's file as its page reads it.

import { plain } from '../words'

/** Granted is a tool an agent may use: its name alone, or with when somebody is asked, and what is fixed. */
export interface Granted {
  tool: string // of a workflow it is workflow/ID
  approval?: 'none' | { always?: boolean; when?: string; judge?: string; ask?: string; says?: string; within?: string }
  args?: Record<string, unknown>
  editable?: string[]
}

type OfWorkflow = Omit<Granted, 'tool'> & { workflow: string }

export interface AgentFile {
  title?: string
  purpose?: string
  model?: string
  instructions?: string
  tools?: (string | Granted | OfWorkflow)[]
  helpers?: (string | { agent: string; judge?: string })[]
  hand_offs?: { to: string; judge?: string }[]
  plan?: 'shown' | { ask: string }
  picture?: string
  off?: boolean
  memory?: { keep?: { turns?: number }; facts?: string[] }
  limits?: Record<string, string | number>
  inputs?: Schema
  answer?: Schema
}

interface Schema {
  properties?: Record<string, unknown>
}

/** whom says who is asked. */
export const whom = (of?: string) => (of === 'speaker' ? 'whoever it talks with' : plain(of ?? ''))

/** grantOf reads one of its tools. */
export function grantOf(t: string | Granted | OfWorkflow): Granted {
  if (typeof t === 'string') return { tool: t }
  if (!('workflow' in t)) return t
  const { workflow, ...rest } = t
  return { tool: `workflow/${workflow}`, ...rest }
}

/** written is a tool as the file is to have it: its name alone where nothing is said of it. */
export function written(g: Granted): string | Granted | OfWorkflow {
  const { tool, ...rest } = g
  if (tool.startsWith('workflow/')) return { workflow: tool.slice('workflow/'.length), ...rest }
  return Object.keys(rest).length === 0 ? tool : g
}

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
