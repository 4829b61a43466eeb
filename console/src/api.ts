// What the service says and takes; the Go package wire is the same in Go.

export type Status = 'queued' | 'running' | 'waiting' | 'done' | 'failed' | 'stopped' | 'skipped' | 'uncertain' | ''

export interface Person { name: string; email: string; role: 'owner' | 'builder' | 'reviewer' | 'reader' }
export interface Session { person: Person; workspace: string; zone: string; currency: string; reviews: number }
export interface Day { date: string; runs: number; failed: number }
export interface Workflow { id: string; title: string; purpose: string; triggers: string[]; chat: boolean; callable: boolean; version: number; on: boolean; drafted: boolean; last_run?: string; week: Day[] }
export interface Version { version: number; note: string; by: string; at: string; live: boolean }
export interface Difference { from: string; to: string; lines: { how: 'same' | 'added' | 'removed'; line: string }[]; files: { path: string; diff: string }[] }
export interface Part { text: string; how?: 'word' | 'value' | 'prose' }
export interface Line { path: string; number?: string; depth: number; kind: string; id?: string; parts: Part[]; line: number }
export interface Problem { file: string; line: number; column: number; severity: 'wrong' | 'remark'; what: string; why?: string; remedy?: string }
export interface Script extends Workflow { lines: Line[]; file: string; text: string; problems: Problem[] }
export interface Run {
  id: string; workflow: string; title: string; status: Status; because?: string; kind: string; about: string
  accepted: string; ended?: string; input_tokens: number; output_tokens: number; cost_micros: number
}
export interface Ask { id: string; tool: string; args: unknown }
export interface AgentMessage { role: 'user' | 'assistant' | 'tool'; text?: string; asks?: Ask[]; call?: string }
export interface Turn { sent: number; asked: string; answered?: string; model?: string; input?: number; output?: number; cost?: number }
export interface Call {
  id: string; ask: string; tool: string; args: Record<string, unknown>; state: string; result?: unknown; error?: string
  review?: string; by?: string; note?: string; began?: string; ended?: string
}
export interface Agent { agent: string; model: string; system: string; began: string; messages: AgentMessage[] | null; recalled: number; turns: Turn[] | null; calls: Call[] | null }
export interface Step extends Line {
  script: string; many?: boolean; begins?: boolean
  status?: Status; began?: string; ended?: string; input?: unknown; output?: unknown; error?: string; agent?: Agent; cost_micros?: number
  tries?: number; until?: string; child?: string; recorded?: boolean; reviews?: string[]
}
export interface Review {
  id: string; of: string; kind: 'step' | 'approval' | 'uncertain' | 'connection'; needs?: string; title: string; why: string; show?: unknown; tool?: string; call?: string
  edit?: Record<string, unknown>; choices: string[]; choice?: string; edited?: Record<string, unknown>; by?: string; note?: string
  asked: string; decided?: string; run: string; workflow: string; from: string; about: string; yours: boolean
}
export interface Detail extends Run {
  signal: { from?: Record<string, string>; text?: string; body?: unknown; trigger: string; kind: string; thread?: string }
  steps: Step[]; reviews: Review[]; response?: { status: number; body?: unknown }; labels: string[]; result?: unknown; wake?: string; origin?: { kind: string; run?: string }; draft?: boolean; in_place?: { of: string; used: string }[]
}
export interface Message { n: number; run: string; who: 'person' | 'agent' | 'note'; name: string; text: string; at: string; rich?: RichMessage }
export interface Stored { name: string; type: string; size: number; blob: string }
export interface RichMessage { picture?: Stored | string; file?: Stored | string; buttons?: string[]; layout?: { heading?: string; text?: string; facts?: Record<string, unknown> }[] }
export interface Thread { messages: Message[]; open: Run[] }
export interface Verdict { fine: boolean; words: string; remedy?: string }
export interface Connection {
  id: string; title: string; kind: string; address?: string; acts_as: 'service' | 'builder' | 'person'; auth: string; needs_secret: boolean; has_secret: boolean; ready: boolean
  used_by: string[]; tools: number; tested?: string; verdict?: Verdict; worked?: string; failed?: string; problem?: string
  sign_in?: { redirect: string; scopes: { name: string; words: string }[]; grant: string; signed_in: boolean; expires?: string; problem?: string }
  watched?: { what: string; looked: string; problem?: string }[]
}
export interface Tool { name: string; title: string; description: string; readOnlyHint: boolean; destructiveHint: boolean; resend: 'safe' | 'key' | 'own_id' | 'never'; says?: string }
export interface ConnectionDetail extends Connection { operations: Tool[]; file: string; text: string }
export interface Column { name: string; title: string; type: 'text' | 'number' | 'date' | 'choice' | 'yes_no'; required?: boolean; choices?: string[] }
export interface Table { id: string; title: string; purpose?: string; key?: string; columns: Column[]; rows: number; used_by: string[] }
export interface Row { row: number; values: Record<string, unknown>; added: string; changed: string }
export interface Rows { rows: Row[]; more: boolean }
export interface Today { reviews: Review[]; failed: Run[]; running: Run[]; missing: Connection[]; runs: number; cost_micros: number; input_tokens: number; output_tokens: number }

/** Refused is what the service answers when something went wrong (RFC 9457). */
export class Refused extends Error {
  constructor(readonly status: number, readonly title: string, readonly detail: string) {
    super(detail ? `${title}: ${detail}` : title)
  }
}

/** call makes one request below /api/v1. */
export async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  let response: Response
  try {
    response = await fetch('/api/v1' + path, {
      method,
      headers: body === undefined ? {} : { 'Content-Type': 'application/json' },
      body: body === undefined ? undefined : JSON.stringify(body),
    })
  } catch {
    throw new Refused(0, 'The service does not answer', 'It may be restarting; what was open goes on by itself.')
  }
  if (!response.ok) {
    const said = await response.json().catch(() => ({ title: response.statusText }))
    throw new Refused(response.status, said.title ?? response.statusText, said.detail ?? '')
  }
  return response.status === 204 ? (undefined as T) : response.json()
}
