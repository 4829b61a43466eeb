import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { call, type Fact } from '../api'
import { when } from '../words'
import { Button } from './states'
import { Sure } from './sure'

/** FactLine says what is known, about whom, and since when; it can be corrected and removed. */
export function FactLine({ of }: { of: Fact }) {
  const [doing, setDoing] = useState<'correct' | 'remove'>()
  return (
    <>
      {doing === 'correct' ? (
        <Correct of={of} done={() => setDoing(undefined)} />
      ) : (
        <p className="break-words whitespace-pre-wrap">{of.fact}</p>
      )}
      <p className="flex flex-wrap items-baseline gap-x-3 text-[0.87rem] text-quiet">
        <span className="break-words">
          About <About of={of} />, {of.by ? `corrected by ${of.by}` : 'noted'}{' '}
          <time dateTime={of.at}>{when(of.at)}</time> in{' '}
          <Link to={`/runs/${of.run}`} className="underline underline-offset-2">
            a run of {of.title}
          </Link>
        </span>
        {!doing && (
          <>
            <Deed name={`Correct the fact: ${of.fact}`} word="Correct…" on={() => setDoing('correct')} />
            <Deed name={`Remove the fact: ${of.fact}`} word="Remove…" on={() => setDoing('remove')} />
          </>
        )}
      </p>
      {doing === 'remove' && (
        <Sure
          path={`/facts/${encodeURIComponent(of.id)}?${new URLSearchParams({ said: of.fact })}`}
          means="No agent is told of it then."
          word="Remove it"
          leave={() => setDoing(undefined)}
        />
      )}
    </>
  )
}

function Deed({ name, word, on }: { name: string; word: string; on: () => void }) {
  return (
    <button aria-label={name} className="underline underline-offset-2 hover:text-ink" onClick={on}>
      {word}
    </button>
  )
}

/** About says whom or what a fact is about. */
function About({ of }: { of: Fact }) {
  if (of.thread) return <>somebody who is not signed in, known in one conversation alone</>
  return <>{of.about === 'workspace' ? "everybody's work" : of.about}</>
}

function Correct({ of, done }: { of: Fact; done: () => void }) {
  const client = useQueryClient()
  const [fact, setFact] = useState(of.fact)
  const correct = useMutation({
    mutationFn: () => call('PUT', `/facts/${encodeURIComponent(of.id)}`, { said: of.fact, fact }),
    onSuccess: done,
    onSettled: () => void client.invalidateQueries(),
  })
  return (
    <form
      className="mb-1"
      onSubmit={(e) => {
        e.preventDefault()
        correct.mutate()
      }}
    >
      <textarea
        aria-label="What is so"
        autoFocus
        className="w-full rounded-md border border-line bg-page px-3 py-2"
        rows={3}
        maxLength={1000}
        value={fact}
        onChange={(e) => setFact(e.target.value)}
      />
      <span className="flex flex-wrap items-center gap-2">
        <Button strong type="submit" disabled={correct.isPending || fact.trim() === '' || fact === of.fact}>
          Save
        </Button>
        <Button type="button" onClick={done}>
          Leave it
        </Button>
        {correct.error && (
          <span role="alert" className="text-madder">
            {correct.error.message}
          </span>
        )}
      </span>
    </form>
  )
}
