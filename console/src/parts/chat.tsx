import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Send } from 'lucide-react'
import { type KeyboardEvent, useEffect, useRef, useState } from 'react'
import { Link } from 'react-router'
import { call, type Message, type RichMessage, type Script, type Thread } from '../api'
import { onNews } from '../live'
import { clock } from '../words'
import { Behind } from './behind'
import { Rich } from './rich'
import { Button, Loading, Trouble } from './states'
import { Speaker } from './voice'

/** threadOf keeps which conversation this browser has with a workflow. */
function useThread(workflow: string): [string, () => void] {
  const key = `woolsignal-thread-${workflow}`
  const fresh = () => `c-${crypto.getRandomValues(new Uint32Array(2)).join('').slice(0, 12)}`
  const [thread, set] = useState(() => localStorage.getItem(key) ?? fresh())
  useEffect(() => {
    localStorage.setItem(key, thread)
  }, [key, thread])
  return [thread, () => set(fresh())]
}

/** Partner is what one talks with: a workflow, its draft, or an agent. */
export interface Partner {
  key: string // this browser has one conversation with it
  title: string
  path: string // its conversations are below
  say: (thread: string, text: string) => Promise<unknown>
  begins?: boolean // it can speak first
}

/** Chat talks with a workflow, beside its script: with what is live, or with the draft. */
export function Chat({ script, may, draft }: { script: Script; may: boolean; draft?: boolean }) {
  const path = `/workflows/${script.id}/chat`
  const partner: Partner = {
    key: draft ? `${script.id}-draft` : script.id,
    title: script.title,
    path,
    say: (thread, text) => call('POST', path, { thread, text, begins: text === '', draft }),
    begins: script.speaks_first,
  }
  return <Talk partner={partner} may={may} />
}

/** Talk is a conversation that is shown as it goes on; below is what stands under it, of its last run. */
export function Talk(p: { partner: Partner; may: boolean; below?: (run?: string) => React.ReactNode }) {
  const { partner, may, below } = p
  const client = useQueryClient()
  const [thread, begin] = useThread(partner.key)
  const [pieces, setPieces] = useState<Record<string, string>>({})
  const log = useRef<HTMLDivElement>(null)
  const path = `${partner.path}/${encodeURIComponent(thread)}`
  const talk = useQuery({ queryKey: ['thread', path], queryFn: () => call<Thread>('GET', path) })
  const say = useMutation({
    mutationFn: (text: string) => partner.say(thread, text),
    onSuccess: () => void client.invalidateQueries({ queryKey: ['thread', path] }),
  })
  const open = talk.data?.open ?? []
  useEffect(
    () =>
      onNews((n) => {
        if (!n.run) return
        const run = n.run
        if (n.kind === 'piece') setPieces((p) => ({ ...p, [run]: (p[run] ?? '') + n.text }))
        if (n.kind === 'message') setPieces((p) => ({ ...p, [run]: '' })) // the whole message is there now
      }),
    [],
  )
  const moving = open.find((r) => r.status !== 'waiting')
  const queued = moving?.status === 'queued' && open.some((r) => r.status === 'waiting')
  const writing = moving ? pieces[moving.id] : ''
  const last = talk.data?.messages.at(-1)?.n
  useEffect(() => {
    log.current?.scrollTo({ top: log.current.scrollHeight }) // the log alone, never the page around it
  }, [last, writing])
  return (
    <section aria-label="Try it" className="flex min-h-0 flex-1 flex-col bg-raised">
      <div className="flex items-center justify-between border-b border-line px-4 py-2">
        <h2 className="font-semibold">Try it</h2>
        <button className="text-[0.87rem] text-quiet underline underline-offset-2 hover:text-ink" onClick={begin}>
          New conversation
        </button>
      </div>
      <div
        ref={log}
        className="min-h-40 flex-1 space-y-2.5 overflow-y-auto px-4 py-3"
        role="log"
        aria-live="polite"
        aria-label="Conversation"
        tabIndex={0}
      >
        {talk.isPending && <Loading />}
        {talk.error && <Trouble error={talk.error} />}
        {talk.data?.messages.length === 0 && (
          <p className="text-quiet">
            Write what somebody would write to {partner.title}. You see the answer here, and every step of it in the
            run.
            {may && partner.begins && (
              <Button className="mt-2 block" disabled={say.isPending} onClick={() => say.mutate('')}>
                Let it speak first
              </Button>
            )}
          </p>
        )}
        {talk.data?.messages.map((m, i) => (
          <Bubble
            key={m.n}
            m={m}
            last={talk.data.messages[i + 1]?.run !== m.run}
            press={may && i === talk.data.messages.length - 1 ? (text) => say.mutate(text) : undefined}
          />
        ))}
        {moving &&
          (writing ? (
            <div className="max-w-[88%] rounded-lg bg-paper px-3 py-2 whitespace-pre-wrap">{writing}</div>
          ) : (
            <p className="breathe text-[0.87rem] text-woad">
              {queued
                ? 'Your message comes next, once the question above is decided.'
                : `${partner.title} is working on it…`}
            </p>
          ))}
      </div>
      {below?.(talk.data?.messages.at(-1)?.run)}
      {may ? (
        <Writing say={(text) => say.mutateAsync(text)} busy={say.isPending} error={say.error} />
      ) : (
        <p className="border-t border-line p-3 text-quiet">Readers can look but not talk.</p>
      )}
    </section>
  )
}

/** Writing is where a message is written; it stays there until it was taken in. */
function Writing({
  say,
  busy,
  error,
}: {
  say: (text: string) => Promise<unknown>
  busy: boolean
  error: Error | null
}) {
  const [words, setWords] = useState('')
  const send = () => {
    if (words.trim() && !busy)
      say(words.trim()).then(
        () => setWords(''),
        () => undefined, // the error is shown, and the words are still here
      )
  }
  const keys = (e: KeyboardEvent) => {
    if (e.key === 'Enter' && !e.shiftKey) {
      e.preventDefault()
      send()
    }
  }
  return (
    <div className="border-t border-line p-3">
      {error && (
        <p role="alert" className="mb-2 text-madder">
          {error.message} Your words are still here.
        </p>
      )}
      <div className="flex items-end gap-2">
        <textarea
          aria-label="Message"
          rows={2}
          value={words}
          onChange={(e) => setWords(e.target.value)}
          onKeyDown={keys}
          className="min-w-0 flex-1 resize-none rounded-md border border-line bg-paper px-3 py-1.5"
          placeholder="Write a message"
        />
        <Button strong aria-label="Send" disabled={!words.trim() || busy} onClick={send} className="h-10">
          <Send size={17} aria-hidden="true" />
        </Button>
      </div>
    </div>
  )
}

function Bubble({ m, last, press }: { m: Message; last: boolean; press?: (text: string) => void }) {
  if (m.who === 'note') {
    return (
      <p className="border-l-2 border-weld pl-2.5 text-[0.87rem] text-quiet">
        {m.text}{' '}
        <Link to={`/runs/${m.run}`} className="text-indigo underline underline-offset-2">
          Open the run
        </Link>
      </p>
    )
  }
  const mine = m.who === 'person'
  return (
    <div className={`flex flex-col ${mine ? 'items-end' : 'items-start'}`}>
      <Speaker m={m} />
      <div
        className={`max-w-[88%] rounded-lg px-3 py-2 break-words whitespace-pre-wrap ${mine ? 'bg-wash' : 'bg-paper'}`}
      >
        {m.text}
        <Rich of={m.rich as RichMessage | undefined} press={press} />
      </div>
      <p className="mt-0.5 text-xs text-quiet">
        {m.name}, {clock(m.at)} ·{' '}
        <Link to={`/runs/${m.run}`} className="underline underline-offset-2">
          run
        </Link>
      </p>
      {!mine && last && <Behind run={m.run} />}
    </div>
  )
}
