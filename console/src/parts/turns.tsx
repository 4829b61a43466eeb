import { Collapsible } from 'radix-ui'
import { Link } from 'react-router'
import type { Agent, AgentMessage, Call, Detail, Turn } from '../api'
import { money, plain, sureness, took } from '../words'
import { Company, companyTool } from './company'
import { Badge } from './states'
import { ThingView } from './thing'
import { Value } from './value'
import { Verdict } from './verdict'

/** AgentTurns tells an agent's work as a conversation: what it was asked, each turn, each tool. */
export function AgentTurns({ agent, reviews }: { agent: Agent; reviews: Detail['reviews'] }) {
  const messages = agent.messages ?? []
  const turns = agent.turns ?? []
  let turn = 0
  return (
    <>
      <Company agent={agent} />
      <Fold
        title={`What it is told of itself${agent.recalled ? `, and the ${agent.recalled} messages it remembers` : ''}`}
      >
        <pre className="font-sans whitespace-pre-wrap">{agent.system}</pre>
        {agent.facts && (
          <>
            <p className="mt-2 text-quiet">Noted in earlier conversations, read as a message before all others:</p>
            <ul className="list-disc pl-5">
              {agent.facts.map((f, i) => (
                <li key={i}>{f}</li>
              ))}
            </ul>
          </>
        )}
        {messages.slice(0, agent.recalled).map((m, i) => (
          <Sent key={i} m={m} />
        ))}
      </Fold>
      {messages.slice(agent.recalled).map((m, i) => {
        if (m.role === 'user')
          return (
            <div key={i} className="my-2 ml-8 rounded-lg bg-wash px-3 py-2 whitespace-pre-wrap">
              {m.from && <p className="text-xs text-quiet">{m.from}</p>}
              {m.text}
              {m.files?.map((f) => (
                <p key={f.blob}>
                  <a
                    href={`/api/v1/blobs/${f.blob}?name=${encodeURIComponent(f.name)}`}
                    className="text-indigo underline underline-offset-2"
                  >
                    {f.name}
                  </a>{' '}
                  <span className="text-quiet">is shown</span>
                </p>
              ))}
            </div>
          )
        if (m.role !== 'assistant') return null
        const t = turns[turn++]
        const act = agent.acts?.find((a) => a.turn === turn - 1)
        return (
          <div key={i}>
            {act && (
              <p className="mt-4 border-t border-line pt-3">
                <strong>{plain(act.agent)}</strong> {act.why ? `takes over from ${plain(act.was)}` : 'goes on'}
              </p>
            )}
            <TurnView
              number={turn}
              turn={t}
              message={m}
              sent={messages.slice(t?.from ?? 0, t?.sent ?? 0)}
              calls={agent.calls ?? []}
              reviews={reviews}
            />
          </div>
        )
      })}
      {turns.length > turn && <p className="breathe my-2 text-woad">Turn {turn + 1}: the model is thinking…</p>}
    </>
  )
}

function TurnView({
  number,
  turn,
  message,
  sent,
  calls,
  reviews,
}: {
  number: number
  turn?: Turn
  message: AgentMessage
  sent: AgentMessage[]
  calls: Call[]
  reviews: Detail['reviews']
}) {
  return (
    <section className="my-3">
      <h3 className="font-semibold">Turn {number}</h3>
      {turn && (
        <p className="text-[0.87rem] text-quiet">
          {turn.model} · {turn.input ?? 0} tokens in{turn.cached ? `, ${turn.cached} of them read lately` : ''},{' '}
          {turn.output ?? 0} out · {money(turn.cost ?? 0)} · {took(turn.asked, turn.answered)}
          {turn.left_out ? ` · the ${turn.left_out} oldest messages left out for want of room` : ''}
        </p>
      )}
      {message.thought && (
        <Fold title="What it thought">
          <p className="whitespace-pre-wrap">{message.thought}</p>
        </Fold>
      )}
      {turn?.cut && <p className="text-madder">{cuts[turn.cut] ?? turn.cut}: this is no answer</p>}
      {message.text && <p className="my-2 mr-8 rounded-lg bg-paper px-3 py-2 whitespace-pre-wrap">{message.text}</p>}
      {message.asks?.map((ask) =>
        calls
          .filter((c) => c.ask === ask.id)
          .map((c) => <CallView key={c.id} call={c} review={reviews.find((r) => r.id === c.review)} />),
      )}
      <Fold title={`Messages as sent (${sent.length})`}>
        {sent.map((m, i) => (
          <Sent key={i} m={m} />
        ))}
      </Fold>
    </section>
  )
}

const cuts: Record<string, string> = {
  length: 'Cut off at the longest it may be',
  window: 'Cut off at the end of the window',
  filter: "Cut off by the server's filter",
  refusal: 'The model refused',
}

const states: Record<string, [import('../api').Status, string]> = {
  looking: ['running', 'what it is about is looked at'],
  weighing: ['running', 'a criterion is weighed'],
  proposed: ['waiting', 'waits for a yes'],
  running: ['running', 'on its way'],
  done: ['done', 'done'],
  failed: ['failed', 'failed'],
  declined: ['stopped', 'declined'],
  uncertain: ['uncertain', 'may or may not have happened'],
}

function CallView({ call, review }: { call: Call; review?: Detail['reviews'][number] }) {
  const [status, word] = states[call.state] ?? ['', call.state]
  const name = companyTool(call.tool)
  const [connection, operation] = call.tool.split('/')
  return (
    <div className="my-2 rounded-lg border border-line">
      <p className="flex flex-wrap justify-between gap-x-3 border-b border-line px-3 py-1.5">
        <span className="font-semibold">{name ?? `${plain(connection)}: ${plain(operation ?? '')}`}</span>
        <span className="text-[0.87rem]">
          {call.child && (
            <Link to={`/runs/${call.child}`} className="mr-2 text-indigo underline underline-offset-2">
              Open its run
            </Link>
          )}
          <Badge status={status} word={word} /> <span className="text-quiet">{took(call.began, call.ended)}</span>
        </span>
      </p>
      <div className="space-y-2 px-3 py-2">
        <Value value={call.args} />
        {call.beside && <p className="text-weld">Its plan says nothing of this.</p>}
        {call.thing && <ThingView thing={call.thing} />}
        {call.judged && (
          <p className="text-[0.87rem] text-quiet">
            {call.judged.holds ? 'Somebody is asked' : 'Nobody is asked'}: {call.judged.reason} (
            {sureness(call.judged.sure)})
          </p>
        )}
        {call.back && <ReadBack call={call} />}
      </div>
      {review && (
        <div className="px-3">
          <Verdict review={review} />
        </div>
      )}
      {(call.result !== undefined || call.error) && (
        <div className="border-t border-line px-3 py-2">
          {call.held && <p className="text-[0.87rem] text-weld">Held back: this is what it would give, made up.</p>}
          {call.error ? <p className="text-madder">{call.error}</p> : <Value value={call.result} />}
        </div>
      )}
    </div>
  )
}

/** ReadBack is what the speaker was asked, and what they said. */
function ReadBack({ call }: { call: Call }) {
  const waits = call.back!.phase !== 'settled'
  return (
    <div className={`rounded-lg px-3 py-2 ${waits ? 'bg-weld-wash text-weld' : 'bg-paper'}`}>
      <p>Read back: “{call.back!.text}”</p>
      {waits ? (
        <p>Waiting for whoever it talks with.</p>
      ) : (
        <p className="text-[0.87rem] text-quiet">
          {call.by || 'Nobody'}: {call.note ? `“${call.note}”` : 'yes'}
        </p>
      )}
    </div>
  )
}

function Sent({ m }: { m: AgentMessage }) {
  return (
    <div className="mt-2 border-l-2 border-line pl-3">
      <p className="text-xs text-quiet">
        {m.from || (m.role === 'user' ? 'person' : m.role === 'assistant' ? 'agent' : 'tool')}
      </p>
      {m.text && <p className="break-words whitespace-pre-wrap">{m.text}</p>}
      {m.asks?.map((a) => (
        <p key={a.id} className="font-mono text-[0.84rem] break-words">
          {a.tool} {JSON.stringify(a.args)}
        </p>
      ))}
    </div>
  )
}

function Fold({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <Collapsible.Root className="my-1 text-[0.93rem]">
      <Collapsible.Trigger className="text-indigo underline underline-offset-2">{title}</Collapsible.Trigger>
      <Collapsible.Content className="mt-2 rounded-lg bg-paper px-3 py-2">{children}</Collapsible.Content>
    </Collapsible.Root>
  )
}
