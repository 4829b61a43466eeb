import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useRef, useState, useMemo } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { call, type Detail, type Review } from '../api'
import { Head } from '../parts/frame'
import { Button, Chip, Empty, Key, Loading, Trouble } from '../parts/states'
import { Value } from '../parts/value'
import { Verdict } from '../parts/verdict'
import { ago, audience, clock, plain } from '../words'

/** Reviews shows what waits for a person, one at a time, decided with a key. */
export default function Reviews() {
  const { id } = useParams()
  const go = useNavigate()
  const all = useQuery({ queryKey: ['reviews'], queryFn: () => call<{ reviews: Review[] }>('GET', '/reviews') })
  const one = useQuery({
    queryKey: ['reviews', id],
    queryFn: () => call<Review>('GET', `/reviews/${id}`),
    enabled: !!id,
  })
  const list = useMemo(() => all.data?.reviews ?? [], [all.data])
  const yours = list.filter((r) => r.yours)
  const shown = useMemo(() => [...list.filter((r) => r.yours), ...list.filter((r) => !r.yours)], [list])
  const open = id ? one.data : shown[0]
  const move = useCallback(
    (by: number) => {
      const at = shown.findIndex((r) => r.id === open?.id)
      const next = shown[Math.min(shown.length - 1, Math.max(0, at + by))]
      if (next) void go(`/reviews/${next.id}`)
    },
    [shown, open, go],
  )
  useKeys({ j: () => move(1), k: () => move(-1) })
  if (all.isPending) return <Loading />
  if (all.error) return <Trouble error={all.error} again={() => void all.refetch()} />
  return (
    <div className="flex h-full flex-col">
      <Head
        title="Reviews"
        beside={
          <>
            <Chip>{yours.length} for you</Chip>
            {list.length > yours.length && (
              <Chip>
                <span className="text-quiet">{list.length - yours.length} for others</span>
              </Chip>
            )}
            <span className="ml-auto hidden items-center gap-2 text-[0.87rem] text-quiet md:flex">
              next <Key>J</Key> previous <Key>K</Key>
            </span>
          </>
        }
      />
      {shown.length === 0 && !id ? (
        <Empty title="Nothing waits for anybody">When a workflow or an agent may not go on alone, it asks here.</Empty>
      ) : (
        <div className="flex min-h-0 flex-1 flex-col lg:flex-row">
          <ul
            aria-label="Waiting"
            className="shrink-0 overflow-y-auto border-line p-2.5 max-lg:border-b lg:w-58 lg:border-r"
          >
            {shown.map((r) => (
              <li key={r.id}>
                <Link
                  to={`/reviews/${r.id}`}
                  aria-current={r.id === open?.id}
                  className={`block rounded-md border px-2.5 py-2 no-underline ${r.id === open?.id ? 'border-line bg-raised' : 'border-transparent hover:bg-raised'}`}
                >
                  {r.title}
                  {r.about && <span className="block truncate text-[0.93rem]">“{r.about}”</span>}
                  <span className="block text-[0.84rem] text-quiet">
                    {r.from} · {r.yours ? `asked ${ago(r.asked)} ago` : `for ${audience(r.of)}`}
                  </span>
                </Link>
              </li>
            ))}
            {shown.length === 0 && <li className="px-2.5 py-2 text-quiet">Nothing else waits.</li>}
          </ul>
          {one.error && <Trouble error={one.error} />}
          {open && <Sheet key={open.id} review={open} />}
        </div>
      )}
    </div>
  )
}

/** useKeys does something at the press of a letter, unless one is writing. */
function useKeys(does: Record<string, (() => void) | undefined>) {
  const now = useRef(does)
  useEffect(() => {
    now.current = does
  })
  useEffect(() => {
    const press = (e: globalThis.KeyboardEvent) => {
      const at = e.target as HTMLElement
      if (e.ctrlKey || e.metaKey || e.altKey || /^(INPUT|TEXTAREA|SELECT)$/.test(at.tagName)) return
      const act = now.current[e.key.toLowerCase()]
      if (act) {
        e.preventDefault()
        act()
      }
    }
    // On keyup, so that the letter itself does not land in a field that opens.
    window.addEventListener('keyup', press)
    return () => window.removeEventListener('keyup', press)
  }, [])
}

function Sheet({ review: r }: { review: Review }) {
  const client = useQueryClient()
  const [edits, setEdits] = useState<Record<string, string>>()
  const [note, setNote] = useState('')
  const first = useRef<HTMLTextAreaElement>(null)
  const run = useQuery({ queryKey: ['run', r.run], queryFn: () => call<Detail>('GET', `/runs/${r.run}`) })
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
  const talk = run.data?.steps
    .find((s) => s.agent?.calls?.some((c) => c.review === r.id))
    ?.agent?.messages?.filter((m) => m.text && m.role !== 'tool')
    .slice(-8)
  const heading = 'mb-1 text-[0.8rem] font-semibold tracking-wide text-quiet uppercase'
  return (
    <>
      <section className="min-w-0 flex-1 space-y-5 overflow-y-auto px-5 py-4">
        <h2 className="text-lg font-semibold">{r.title}</h2>
        {r.why && (
          <div>
            <h3 className={heading}>Why you are asked</h3>
            <p className="max-w-xl">{r.why}</p>
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
      <section
        aria-label="The draft"
        className="min-w-0 border-line bg-raised px-5 py-4 max-lg:border-t lg:w-[38%] lg:overflow-y-auto lg:border-l"
      >
        <h3 className={heading}>{r.kind === 'approval' ? 'What it wants to do' : 'Your decision'}</h3>
        {r.choice ? (
          <Verdict review={r} />
        ) : (
          <>
            {editable &&
              (edits ? (
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
                </div>
              ) : (
                <div className="rounded-lg border border-line bg-paper p-3">
                  <Value value={r.edit} />
                </div>
              ))}
            {r.yours ? (
              <>
                <label className="mt-3 block">
                  <span className="text-quiet">A word along with it, if you like</span>
                  <input
                    value={note}
                    onChange={(e) => setNote(e.target.value)}
                    className="mt-0.5 w-full rounded-md border border-line bg-paper px-2.5 py-1.5"
                  />
                </label>
                {decide.error && (
                  <p role="alert" className="mt-2 text-madder">
                    {decide.error.message}
                  </p>
                )}
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
              <p className="mt-3 text-quiet">This was put to {audience(r.of)}; it is not yours to decide.</p>
            )}
          </>
        )}
      </section>
    </>
  )
}

/** written is a value as one edits it: texts bare, everything else JSON. */
function written(v: unknown): string {
  return typeof v === 'string' ? v : JSON.stringify(v)
}

/** changed gives the values that were edited, in the kind they had. */
function changed(r: Review, edits: Record<string, string>): Record<string, unknown> {
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
