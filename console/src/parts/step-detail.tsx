import { useMutation } from '@tanstack/react-query'
import { Link, useNavigate } from 'react-router'
import { call, type Detail, type Step } from '../api'
import { clock, count, gist, plain, took, when } from '../words'
import { Sentence } from './sentence'
import { Badge, Button } from './states'
import { AgentTurns } from './turns'
import { Value } from './value'
import { Verdict } from './verdict'

/** StepDetail is all that is known of one step of a run. */
export function StepDetail({ step, run, may }: { step: Step; run: Detail; may: boolean }) {
  const again = may && run.ended && run.origin?.kind !== 'try' && step.begins && <Again run={run} step={step} />
  if (step.kind === 'trigger') {
    return (
      <>
        <Title step={step} word="What arrived" />
        {again}
        <Box title={run.signal.kind}>
          <Value value={run.signal.text ?? run.signal.body ?? { due: run.about }} />
        </Box>
        {run.response && (
          <Box title={`The caller was answered ${run.response.status}`}>
            <Value value={run.response.body} />
          </Box>
        )}
      </>
    )
  }
  // What this very step asked; what an agent's calls asked stands with them.
  const asked = run.reviews.filter(
    (r) => step.reviews?.includes(r.id) && !step.agent?.calls?.some((c) => c.review === r.id),
  )
  return (
    <>
      <Title
        step={step}
        word={
          step.kind === 'agent'
            ? 'The agent at work'
            : step.agent
              ? 'A model was asked'
              : step.kind === 'case'
                ? 'What left it'
                : step.id
                  ? plain(step.id)
                  : 'What it did'
        }
      />
      {again}
      {step.recorded && <p className="mb-3 text-quiet">Taken over from the run this one repeats.</p>}
      {!!step.tries && <p className="mb-3 text-quiet">Tried {count(step.tries, 'time')} before.</p>}
      {step.until && <p className="mb-3 text-weld">Goes on by itself {when(step.until)}.</p>}
      {step.child && (
        <p className="mb-3">
          It called{' '}
          <Link to={`/runs/${step.child}`} className="font-mono text-indigo underline underline-offset-2">
            {step.child}
          </Link>
          .
        </p>
      )}
      {step.error && (
        <Box title={step.status === 'stopped' ? 'Why it went no further' : 'Why it failed'}>
          <p className={step.status === 'stopped' ? '' : 'text-madder'}>{step.error}</p>
        </Box>
      )}
      {step.agent && <AgentTurns agent={step.agent} reviews={run.reviews} />}
      {step.kind === 'agent' && asked.map((r) => <Verdict key={r.id} review={r} />)}
      {step.kind !== 'agent' && (
        <>
          {!(step.agent && step.kind !== 'tool') && step.input !== undefined && (
            <Box title="It was given">
              <Value value={step.input} />
            </Box>
          )}
          {asked.map((r) => (
            <Verdict key={r.id} review={r} />
          ))}
          {step.output !== undefined && (
            <Box title="It gave">
              <Value value={step.output} />
            </Box>
          )}
        </>
      )}
    </>
  )
}

function Title({ step, word }: { step: Step; word: string }) {
  return (
    <div className="mb-3">
      <h2 className="text-lg font-semibold">
        {step.number && <span className="text-quiet">{step.number} </span>}
        {word}
      </h2>
      <p className="line-clamp-2 text-[0.93rem]">
        <Sentence parts={step.parts} reads={step.reads} values={step.values} />
      </p>
      <p className="text-[0.87rem] text-quiet">
        {step.status && <Badge status={step.status} />} {step.began && clock(step.began)}{' '}
        {took(step.began, step.ended) && `· ${took(step.began, step.ended)}`}
        {step.agent && ` · ${gist(step.agent.model)} model · ${count(step.agent.turns?.length ?? 0, 'turn')}`}
      </p>
    </div>
  )
}

function Box({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section className="mb-3 rounded-lg border border-line">
      <h3 className="border-b border-line px-3 py-1 text-[0.87rem] text-quiet first-letter:uppercase">{title}</h3>
      <div className="px-3 py-2">{children}</div>
    </section>
  )
}

/** Again goes through the run once more from a step, on the values recorded before it. */
function Again({ run, step }: { run: Detail; step: Step }) {
  const go = useNavigate()
  const again = useMutation({
    mutationFn: () =>
      call<{ run: string }>('POST', `/runs/${run.id}/again`, { from: step.kind === 'trigger' ? '' : step.path }),
    onSuccess: (r) => void go(`/runs/${r.run}`),
  })
  return (
    <p className="mb-3 flex flex-wrap items-center gap-2">
      <Button disabled={again.isPending} onClick={() => again.mutate()}>
        {step.kind === 'trigger' ? 'Run all of it again' : 'Run again from here'}
      </Button>
      {again.error && (
        <span role="alert" className="text-madder">
          {again.error.message}
        </span>
      )}
    </p>
  )
}
