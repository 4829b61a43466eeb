// What the service says and takes, as its description has it: wire.ts is made
// from that by make types.
import type { components } from './wire'

type Schemas = components['schemas']

export type Status = Schemas['Run']['status']
export type Person = Schemas['Person']
export type Session = Schemas['Session']
export type Day = Schemas['Day']
export type Workflow = Schemas['Workflow']
export type Version = Schemas['Version']
export type Difference = Schemas['Difference']
export type Part = Schemas['FlowPart']
export type TokenListed = Schemas['TokenListed']
export type Read = Schemas['FlowRead']
export type Word = Schemas['ExprWord']
export type Line = Schemas['FlowLine']
export type Problem = Schemas['FlowProblem']
export type Script = Schemas['Script']
export type Meaning = Schemas['Meaning']
export type Sight = Schemas['FlowSight']
export type Binned = Schemas['Binned']
export type Worked = Schemas['Worked']
export type WorkedPart = Schemas['WorkedPart']
export type RenamedStep = Schemas['RenamedStep']
export type BroughtOut = Schemas['FlowBroughtOut']
export type BeforeLive = Schemas['BeforeLive']
export type Drafted = Schemas['Drafted']
export type Language = Schemas['FlowLanguage']
export type Field = Schemas['FlowField']
export type StepKind = Schemas['FlowStepKind']
export type Name = Schemas['Name']
export type Names = Schemas['Names']
export type Sample = Schemas['Sample']
export type Signal = Schemas['Signal']
export type Run = Schemas['Run']
export type Step = Schemas['Step']
export type Review = Schemas['Review']
export type Detail = Schemas['Detail']
export type Fact = Schemas['Fact']
export type Facts = Schemas['Facts']
export type FollowUp = Schemas['FollowUp']
export type FollowUps = Schemas['FollowUps']
export type Thread = Schemas['Thread']
export type Verdict = Schemas['Verdict']
export type Definition = Schemas['Definition']
export type Defined = Schemas['Defined']
export type Description = Schemas['Description']
export type Delivery = Schemas['Delivery']
export type Connection = Schemas['Connection']
export type ConnectionDetail = Schemas['ConnectionDetail']
export type Tool = Schemas['ToolInfo']
export type Table = Schemas['Table']
export type Column = Schemas['Column']
export type Row = Schemas['Row']
export type Rows = Schemas['Rows']
export type Content = Schemas['ShapeContent']
export type ChatNames = Schemas['ChatNames']
export type ChatName = Schemas['ChatName']
export type ChatCode = Schemas['ChatCode']
export type Today = Schemas['Today']
export type Agent = Schemas['AgentState']
export type AgentListed = Schemas['Agent']
export type AgentInFull = Schemas['AgentInFull']
export type AgentMessage = Schemas['AgentMessage']
export type Turn = Schemas['AgentTurn']
export type Call = Schemas['AgentCall']
export type Ask = Schemas['AgentRequest']
export type Message = Schemas['Message']

/** mayBuild tells whether somebody may change what the workspace is made of. */
export const mayBuild = (s: Session) => s.person.role === 'builder' || s.person.role === 'owner'

/** mayReview tells whether somebody may decide what agents ask. */
export const mayReview = (s: Session) => s.person.role !== 'reader'

/** Stored is a file the service keeps. */
export interface Stored {
  name: string
  type: string
  size: number
  blob: string
}

/** Clash is a step that two changed at once, as each of them left it. */
export interface Clash {
  mine: string
  theirs: string
}

/** RichMessage is what a message has beside its words. */
export interface RichMessage {
  picture?: Stored | string
  file?: Stored | string
  buttons?: string[]
  layout?: { heading?: string; text?: string; facts?: Record<string, unknown> }[]
  cut?: boolean // it was heard as it came, and broke off
}

/** Refused is what the service answers when something went wrong (RFC 9457). */
export class Refused extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
    readonly more: Record<string, unknown> = {},
  ) {
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
    throw new Refused(response.status, said.title ?? response.statusText, said.detail ?? '', said)
  }
  return response.status === 204 ? (undefined as T) : response.json()
}

/** outcome is what came of a sign-in at another service, told once; null where there was none. */
export function outcome(): { fine: boolean; said: string } | null {
  const kept = /(?:^|; )woolsignal_outcome=([^;]*)/.exec(document.cookie)
  if (!kept) return null
  document.cookie = 'woolsignal_outcome=; path=/connections; max-age=0'
  const told = new URLSearchParams(kept[1])
  return { fine: told.get('fine') === 'true', said: told.get('said') ?? '' }
}
