import { Copy } from 'lucide-react'
import { useState } from 'react'
import type { Step } from '../../api'
import { ReadableContext } from '../../parts/dragged'
import { AgentTurns } from '../../parts/turns'
import { Badge } from '../../parts/states'
import { Value } from '../../parts/value'
import { Verdict } from '../../parts/verdict'
import { took } from '../../words'
import { stepOf } from '../runs'
import { useBuild, useDraftState } from '../use-draft'
import type { How, Trying } from './use-trying'

/** Outcome is what the step one is on took and gave in the try. */
export function Outcome({ trying, how }: { trying: Trying; how: How }) {
  const { draft } = useBuild()
  const s = useDraftState(draft)
  const run = trying.run!
  const [kept, keep] = useState('') // the path of the line that stays shown, whichever one is on
  const line =
    s.lines.find((l) => l.path === kept) ??
    s.lines.find((l) => l.field === s.marked.line) ??
    s.lines.find((l) => l.number)
  const whose = <Whose value={kept} onChange={keep} />
  const step = line && (line.kind === 'trigger' ? undefined : stepOf(run, line))
  if (line?.kind === 'trigger')
    return (
      <div className="space-y-3 border-t border-line pt-3">
        {whose}
        <Half title="What came in">
          <ReadableContext value={run.signal.text ? undefined : { code: 'signal.body' }}>
            <Value value={run.signal.text ?? run.signal.body} />
          </ReadableContext>
        </Half>
      </div>
    )
  if (!line || !step?.status) return <p className="text-quiet">Choose a line to see what it took and gave.</p>
  const reviews = run.reviews.filter((r) => step.reviews?.includes(r.id))
  return (
    <section aria-label="What the step did" className="space-y-3 border-t border-line pt-3">
      {whose}
      <h3 className="font-semibold">
        {line.number} {line.id} <Badge status={step.status} />{' '}
        <span className="font-normal text-quiet">{took(step.began, step.ended)}</span>
      </h3>
      {step.error && <p className="text-madder">{step.error}</p>}
      {step.input !== undefined && step.input !== null && (
        <Half title="It took" copy={step.input}>
          <Value value={step.input} />
        </Half>
      )}
      {step.agent && <AgentTurns agent={step.agent} reviews={run.reviews} />}
      {reviews.map((r) => (
        <Verdict key={r.id} review={r} />
      ))}
      {step.output !== undefined && (
        <Half title={step.held_back ? held[step.held_back] : 'It gave'} copy={step.output}>
          <ReadableContext value={line.id ? { code: line.id, from: line.path } : undefined}>
            <Value value={step.output} />
          </ReadableContext>
        </Half>
      )}
      {step.output !== undefined && <Edit key={step.path + run.id} step={step} trying={trying} how={how} />}
    </section>
  )
}

/** Whose chooses whose outcome stays shown, so that a value of it can be dragged to another step. */
function Whose({ value, onChange }: { value: string; onChange: (path: string) => void }) {
  const { draft } = useBuild()
  const { lines } = useDraftState(draft)
  return (
    <select
      aria-label="Whose is shown"
      value={value}
      onChange={(e) => onChange(e.target.value)}
      className="w-full rounded-md border border-line bg-paper px-2 py-1 text-[0.93rem]"
    >
      <option value="">what the line I am on did</option>
      {lines
        .filter((l) => l.kind === 'trigger' || l.number)
        .map((l) => (
          <option key={l.path} value={l.path}>
            {l.number ? `${l.number} ` : ''}
            {l.parts
              .map((x) => x.text)
              .join('')
              .slice(0, 60)}
          </option>
        ))}
    </select>
  )
}

const held: Record<string, string> = {
  last: 'Held back. What the tool gave last',
  made_up: 'Held back. Made up',
  nothing: 'Held back',
}

function Half({ title, copy, children }: { title: string; copy?: unknown; children: React.ReactNode }) {
  return (
    <div>
      <p className="flex items-center justify-between text-[0.87rem] text-quiet">
        {title}
        {copy !== undefined && (
          <button
            type="button"
            aria-label={`Copy: ${title}`}
            onClick={() => void navigator.clipboard?.writeText(JSON.stringify(copy, null, 2))}
          >
            <Copy className="size-3.5" aria-hidden="true" />
          </button>
        )}
      </p>
      <div className="mt-0.5">{children}</div>
    </div>
  )
}

/** Edit changes what a step gave, and goes on from there. */
function Edit({ step, trying, how }: { step: Step; trying: Trying; how: How }) {
  const { draft } = useBuild()
  const { lines } = useDraftState(draft)
  const [text, setText] = useState<string>()
  const [wrong, setWrong] = useState('')
  const next = lines
    .slice(lines.findIndex((l) => l.path === step.script) + 1)
    .find((l) => l.depth === step.depth && l.number)
  if (text === undefined)
    return (
      <button
        type="button"
        onClick={() => setText(JSON.stringify(step.output, null, 2))}
        className="text-indigo underline underline-offset-2"
      >
        Change what it gave and go on from here
      </button>
    )
  const go = () => {
    try {
      const value: unknown = JSON.parse(text)
      if (step.held_back) trying.pretend(step.path, value)
      else if (next) trying.goOn(next.path, { [step.path]: value }, { ...how, far: 'all' })
      setText(undefined)
    } catch {
      setWrong('This is not JSON.')
    }
  }
  return (
    <div>
      <textarea
        aria-label="What it gave"
        autoFocus
        rows={8}
        value={text}
        onChange={(e) => setText(e.target.value)}
        className="w-full rounded-md border border-line bg-paper p-2 font-mono text-[0.84rem]"
      />
      {wrong && <p className="text-madder">{wrong}</p>}
      <button
        type="button"
        disabled={!next && !step.held_back}
        onClick={go}
        className="font-semibold text-indigo underline underline-offset-2 disabled:opacity-50"
      >
        Go on with this
      </button>
    </div>
  )
}
