import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Send } from 'lucide-react'
import { useCallback, useEffect, useRef, useState } from 'react'
import { useParams } from 'react-router'
import { type Message, Refused, type RichMessage } from '../api'
import { Rich, type Fetches } from '../parts/rich'
import { Button, Loading } from '../parts/states'
import { Speaker } from '../parts/voice'

interface Visited {
  title: string
  workspace: string
  speaks_first: boolean
  conversation: { messages: Message[]; busy: boolean }
}

/** random is a text nobody guesses, also where the page came without encryption. */
const random = () =>
  [...crypto.getRandomValues(new Uint8Array(24))].map((b) => b.toString(16).padStart(2, '0')).join('')

/** key is the visitor's own: whoever has it reads the conversation, so it stays in this tab. */
function key(page: string): string {
  const name = `woolsignal-visitor-${page}`
  const known = sessionStorage.getItem(name)
  if (known) return known
  const made = random()
  sessionStorage.setItem(name, made)
  return made
}

async function ask(page: string, what: string, body?: unknown): Promise<Response> {
  const response = await fetch(`/talk/${page}/${what}`, {
    method: body ? 'POST' : 'GET',
    headers: { Authorization: `Visitor ${key(page)}`, ...(body ? { 'Content-Type': 'application/json' } : {}) },
    body: body ? JSON.stringify(body) : undefined,
  }).catch(() => {
    throw new Refused(0, 'Nobody answers', 'Your words are still here; try again in a moment.')
  })
  if (!response.ok) {
    const said = await response.json().catch(() => ({ title: response.statusText }))
    throw new Refused(response.status, said.title, said.detail ?? '')
  }
  return response
}

/** useWords is what is being said just now, as it comes; read is called once something was said. */
function useWords(page: string, here: boolean, read: () => void): string {
  const [words, setWords] = useState('')
  useEffect(() => {
    if (!here) return
    const leave = new AbortController()
    void hear(page, leave.signal, (line) => {
      if (line.piece) setWords((w) => w + line.piece)
      if (line.said) {
        setWords('')
        read()
      }
    })
    return () => leave.abort()
  }, [page, here, read])
  return words
}

/** hear reads what is said, a line of JSON each; where that is not possible the messages are read all the same. */
async function hear(page: string, signal: AbortSignal, tell: (line: { piece?: string; said?: boolean }) => void) {
  const headers = { Authorization: `Visitor ${key(page)}` }
  const response = await fetch(`/talk/${page}/words`, { headers, signal }).catch(() => undefined)
  const reader = response?.ok && response.body?.pipeThrough(new TextDecoderStream()).getReader()
  if (!reader) return
  let rest = ''
  for (;;) {
    const { done, value } = await reader.read().catch(() => ({ done: true, value: '' }))
    if (done) return
    const lines = (rest + value).split('\n')
    rest = lines.pop() ?? ''
    for (const line of lines) if (line) tell(JSON.parse(line) as { piece?: string; said?: boolean })
  }
}

/** Talk is a hosted page: visitors write, the workflow answers. */
export default function Talk() {
  const { page = '' } = useParams()
  const client = useQueryClient()
  const log = useRef<HTMLDivElement>(null)
  const [words, setWords] = useState('')
  const [said, setSaid] = useState<number>() // how far the conversation was when something was said last
  const waits = (v?: Visited) =>
    said !== undefined && !v?.conversation.messages.some((m) => m.who === 'agent' && m.n > said)
  const talk = useQuery({
    queryKey: ['talk', page],
    queryFn: async (): Promise<Visited> => (await ask(page, 'messages')).json(),
    refetchInterval: (q) => (waits(q.state.data) ? 700 : 5000),
    retry: false,
  })
  const messages = talk.data?.conversation.messages ?? []
  const last = messages.at(-1)
  const say = useMutation({
    mutationFn: (text: string) => ask(page, 'messages', text ? { id: random(), text } : { begins: true }),
    onSuccess: () => {
      setWords('')
      setSaid(last?.n ?? 0)
      void client.invalidateQueries({ queryKey: ['talk', page] })
    },
  })
  const read = useCallback(() => void client.invalidateQueries({ queryKey: ['talk', page] }), [client, page])
  const writing = useWords(page, !!talk.data, read)
  useEffect(() => {
    log.current?.scrollTo({ top: log.current.scrollHeight })
  }, [last?.n, writing])
  useEffect(() => {
    if (talk.data) document.title = talk.data.title
  }, [talk.data])
  const fetches: Fetches = async (f) => (await ask(page, `files/${f.blob}`)).blob()
  const begins = !!talk.data?.speaks_first && messages.length === 0
  const begin = say.mutate
  useEffect(() => {
    if (begins) begin('')
  }, [begins, begin])
  if (talk.isPending) return <Loading />
  if (talk.error) return <Closed error={talk.error} />
  const send = (text: string) => {
    if (text.trim() && !say.isPending) say.mutate(text.trim())
  }
  return (
    <main className="mx-auto flex h-dvh max-w-2xl flex-col p-3 md:p-6">
      <p className="text-[0.87rem] text-quiet">{talk.data.workspace}</p>
      <h1 className="text-xl font-bold">{talk.data.title}</h1>
      <div
        ref={log}
        role="log"
        aria-live="polite"
        aria-label="Conversation"
        tabIndex={0}
        className="mt-3 min-h-0 flex-1 space-y-3 overflow-y-auto rounded-t-lg border border-line bg-raised p-4"
      >
        {messages.length === 0 && !begins && <p className="text-quiet">Write a few words to begin.</p>}
        {messages.map((m) => (
          <Said key={m.n} m={m} press={m === last ? send : undefined} fetches={fetches} />
        ))}
        {waits(talk.data) && <Coming words={writing} />}
      </div>
      <form
        className="flex gap-2 rounded-b-lg border border-t-0 border-line bg-raised p-3"
        onSubmit={(e) => {
          e.preventDefault()
          send(words)
        }}
      >
        <input
          aria-label="Message"
          value={words}
          onChange={(e) => setWords(e.target.value)}
          placeholder="Write a message"
          className="min-w-0 flex-1 rounded-md border border-line bg-paper px-3 py-2"
        />
        <Button strong type="submit" aria-label="Send" disabled={!words.trim() || say.isPending}>
          <Send size={17} aria-hidden="true" />
        </Button>
      </form>
      {say.error && (
        <p role="alert" className="mt-1 text-madder">
          {say.error.message} Your words are still here.
        </p>
      )}
    </main>
  )
}

/** Coming is what is being said, or that something is. */
function Coming({ words }: { words: string }) {
  if (!words) return <p className="breathe text-[0.87rem] text-woad">One moment…</p>
  return <div className="max-w-[85%] rounded-lg bg-paper px-3 py-2 break-words whitespace-pre-wrap">{words}</div>
}

function Closed({ error }: { error: Error }) {
  return (
    <main className="mx-auto max-w-lg p-6">
      <h1 className="text-xl font-bold">{error instanceof Refused ? error.title : 'Something went wrong'}</h1>
      <p className="mt-2">{error instanceof Refused ? error.detail : String(error)}</p>
    </main>
  )
}

function Said({ m, press, fetches }: { m: Message; press?: (text: string) => void; fetches: Fetches }) {
  const mine = m.who === 'person'
  return (
    <div className={`flex flex-col ${mine ? 'items-end' : 'items-start'}`}>
      <Speaker m={m} />
      <div
        className={`max-w-[85%] rounded-lg px-3 py-2 break-words whitespace-pre-wrap ${mine ? 'bg-wash' : 'bg-paper'}`}
      >
        {m.text}
        <Rich of={m.rich as RichMessage | undefined} press={press} fetches={fetches} />
      </div>
    </div>
  )
}
