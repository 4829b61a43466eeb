import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { type RefObject, useRef, useState } from 'react'
import { Link } from 'react-router'
import { call, type Detail, type Review } from '../api'
import { audience, clock, plain } from '../words'
import { useKeys } from './keys'
import { Button, Key } from './states'
import { ThingView } from './thing'
import { Value } from './value'
import { Verdict } from './verdict'

type Edits = Record<string, string>

const heading = 'mb-1 text-[0.8rem] font-semibold tracking-wide text-quiet uppercase'

/** Sheet is a review in full: what is known, what is proposed, and the decision. */
export function Sheet({ review: r }: { review: Review }) {
  const client = useQueryClient()
  const [edits, setEdits] = useState<Edits>()
  const [note, setNote] = useState('')
  const first = useRef<HTMLTextAreaElement>(null)
  const decide = useMutation({
    mutationFn: (choice: string) =>
      call<Review>('POST', `/reviews/${r.id}`, { choice, note, edited: edits && changed(r, edits) }),
    onSuccess: (done) => client.setQueryData(['reviews', r.id], done),
    onSettled: () => void client.invalidateQueries(),
  })
  const may = r.yours && !r.choice && !decide.isPending
  const startEditing = () => {
    setEdits(Object.fromEntries(Object.entries(r.edit ?? {}).map(([k, v]) => [k, written(v)])))
    setTimeout(() => first.current?.focus())
  }
  const editable = Object.keys(r.edit ?? {}).length > 0
  useKeys({
    a: may ? () => decide.mutate(r.choices[0]) : undefined,
    d: may && r.choices.includes('decline') ? () => decide.mutate('decline') : undefined,
    e: may && editable && !edits ? startEditing : undefined,
  })
  return (
    <>
      <Known review={r} />
      <section
        aria-label="The proposal"
        className="min-w-0 border-line bg-raised px-5 py-4 max-lg:border-t lg:w-[38%] lg:overflow-y-auto lg:border-l"
      >
        <h3 className={heading}>{r.kind === 'approval' ? 'What it wants to do' : 'Your decision'}</h3>
        {r.choice ? (
          <Verdict review={r} />
        ) : (
          <>
            {editable && <Proposal review={r} edits={edits} setEdits={setEdits} first={first} />}
            {r.yours ? (
              <>
                <Note note={note} setNote={setNote} error={decide.error} asks={r.kind === 'advice'} />
                <div className="mt-3 flex flex-wrap gap-2">
                  {r.choices.map((c, i) => (
                    <Button key={c} strong={i === 0} disabled={!may} onClick={() => decide.mutate(c)}>
                      <span className="first-letter:uppercase">{i === 0 && edits ? `${c} with changes` : c}</span>
                      {i === 0 ? <Key>A</Key> : c === 'decline' ? <Key>D</Key> : null}
                    </Button>
                  ))}
                  {editable && !edits && (
                    <Button disabled={!may} onClick={startEditing}>
                      Edit <Key>E</Key>
                    </Button>
                  )}
                </div>
                <p className="mt-3 text-[0.87rem] text-quiet">
                  Nothing is done without a yes. Asked at {clock(r.asked)}.
                </p>
              </>
            ) : (
              <p className="mt-3 text-quiet">This was put to {audience(r.ask)}; it is not yours to decide.</p>
            )}
          </>
        )}
      </section>
    </>
  )
}

/** Known is what whoever decides is told: why, what is known, what was said. */
function Known({ review: r }: { review: Review }) {
  const run = useQuery({ queryKey: ['run', r.run], queryFn: () => call<Detail>('GET', `/runs/${r.run}`) })
  const talk = run.data?.steps
    .find((s) => s.agent?.calls?.some((c) => c.review === r.id))
    ?.agent?.messages?.filter((m) => m.text && m.role !== 'tool')
    .slice(-8)
  return (
    <section className="min-w-0 flex-1 space-y-5 overflow-y-auto px-5 py-4">
      <h2 className="text-lg font-semibold">{r.title}</h2>
      {r.why && (
        <div>
          <h3 className={heading}>Why you are asked</h3>
          <p className="max-w-xl">{r.why}</p>
        </div>
      )}
      {r.thing && (
        <div>
          <h3 className={heading}>What it is about</h3>
          <ThingView thing={r.thing} />
        </div>
      )}
      {r.show !== undefined && r.show !== null && !talk && (
        <div>
          <h3 className={heading}>What is known</h3>
          {typeof r.show === 'string' ? (
            <p className="max-w-2xl whitespace-pre-wrap wrap-anywhere">{r.show}</p>
          ) : (
            <Value value={r.show} />
          )}
        </div>
      )}
      {talk && talk.length > 0 && (
        <div>
          <h3 className={heading}>What was said</h3>
          <ul className="max-w-xl space-y-2 rounded-lg border border-line bg-raised p-3">
            {talk.map((m, i) => (
              <li key={i}>
                <span className="block text-xs text-quiet">
                  {m.role === 'user' ? (run.data?.signal.from?.name ?? 'person') : 'agent'}
                </span>
                <span className="whitespace-pre-wrap">{m.text}</span>
              </li>
            ))}
          </ul>
        </div>
      )}
      {r.needs && !r.choice && (
        <p>
          <Link to={`/connections/${r.needs}`} className="font-semibold text-indigo underline underline-offset-2">
            Connect {plain(r.needs)}
          </Link>
          ; what waits then goes on by itself.
        </p>
      )}
      <p>
        <Link to={`/runs/${r.run}`} className="text-indigo underline underline-offset-2">
          Open the run
        </Link>
      </p>
    </section>
  )
}

/** Proposal is what is proposed, as it stands or as it is being changed. */
function Proposal({
  review: r,
  edits,
  setEdits,
  first,
}: {
  review: Review
  edits?: Edits
  setEdits: (edits: Edits) => void
  first: RefObject<HTMLTextAreaElement | null>
}) {
  if (!edits)
    return (
      <div className="rounded-lg border border-line bg-paper p-3">
        <Value value={{ ...r.edit, ...r.held }} />
      </div>
    )
  return (
    <div className="space-y-2">
      {Object.keys(edits).map((k, i) => (
        <label key={k} className="block">
          <span className="text-quiet">{plain(k)}</span>
          <textarea
            ref={i === 0 ? first : undefined}
            rows={2}
            value={edits[k]}
            onChange={(e) => setEdits({ ...edits, [k]: e.target.value })}
            className="mt-0.5 w-full rounded-md border border-line bg-paper px-2.5 py-1.5 font-mono text-[0.87rem]"
          />
          {edits[k] !== written(r.edit?.[k]) && (
            <span className="text-[0.87rem]">
              <del className="rounded bg-madder-wash px-1 text-madder">{written(r.edit?.[k])}</del>{' '}
              <ins className="rounded bg-lichen-wash px-1 text-lichen no-underline">{edits[k]}</ins>
            </span>
          )}
        </label>
      ))}
      {Object.entries(r.held ?? {}).map(([k, v]) => (
        <p key={k}>
          <span className="text-quiet">{plain(k)}, fixed in the agent&rsquo;s file:</span> {written(v)}
        </p>
      ))}
    </div>
  )
}

function Note(p: { note: string; setNote: (note: string) => void; error: Error | null; asks: boolean }) {
  const { note, setNote, error } = p
  return (
    <>
      <label className="mt-3 block">
        <span className="text-quiet">
          {p.asks ? 'Your answer, which the agent reads' : 'A word along with it, if you like'}
        </span>
        <input
          value={note}
          onChange={(e) => setNote(e.target.value)}
          className="mt-0.5 w-full rounded-md border border-line bg-paper px-2.5 py-1.5"
        />
      </label>
      {error && (
        <p role="alert" className="mt-2 text-madder">
          {error.message}
        </p>
      )}
    </>
  )
}

/** written is a value as one edits it: texts bare, everything else JSON. */
function written(v: unknown): string {
  return typeof v === 'string' ? v : JSON.stringify(v)
}

/** changed gives the values that were edited, in the kind they had. */
function changed(r: Review, edits: Edits): Record<string, unknown> {
  const out: Record<string, unknown> = {}
  for (const [k, text] of Object.entries(edits)) {
    const before = r.edit?.[k]
    if (text === written(before)) continue
    out[k] = text
    if (typeof before !== 'string') {
      try {
        out[k] = JSON.parse(text)
      } catch {
        out[k] = text // the service says what it expected
      }
    }
  }
  return out
}
