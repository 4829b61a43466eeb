import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Check, Circle, PlugZap, TriangleAlert, type LucideIcon } from 'lucide-react'
import { useState } from 'react'
import { Link, NavLink, useNavigate, useParams } from 'react-router'
import { call, outcome, type Connection, type ConnectionDetail, type Content, type Tool, type Verdict } from '../api'
import { Head } from '../parts/frame'
import { Copy } from '../parts/copy'
import Connect, { Edited } from '../making/connect'
import { kindTitles } from '../making/kinds'
import { Side } from '../making/side'
import { Secret } from '../parts/secret'
import { VerdictNote } from '../parts/verdict-note'
import { Button, Chip, Empty, Loading, Trouble } from '../parts/states'
import { count, plain, when } from '../words'

/** state says how a connection fares: in a word, with a colour and a shape. */
function state(c: Connection): { word: string; colour: string; fine: boolean; shape: LucideIcon } {
  if (c.sign_in && !c.ready) return { word: 'sign in first', colour: 'text-weld', fine: false, shape: TriangleAlert }
  if (!c.ready) return { word: 'lacks its secret', colour: 'text-weld', fine: false, shape: TriangleAlert }
  if (c.verdict && !c.verdict.fine)
    return { word: 'does not work', colour: 'text-madder', fine: false, shape: TriangleAlert }
  if (c.problem) return { word: 'failed last', colour: 'text-madder', fine: false, shape: TriangleAlert }
  if (c.verdict || c.worked) return { word: 'works', colour: 'text-lichen', fine: true, shape: Check }
  return { word: 'not tried yet', colour: 'text-quiet', fine: true, shape: Circle }
}

function State({ c }: { c: Connection }) {
  const s = state(c)
  return (
    <span className={`inline-flex items-center gap-1 text-[0.87rem] whitespace-nowrap ${s.colour}`}>
      <s.shape size={13} aria-hidden="true" />
      {s.word}
    </span>
  )
}

/** Connections lists every service the workspace reaches, and one of them in full. */
export default function Connections() {
  const { id } = useParams()
  const [signedIn] = useState(outcome)
  const all = useQuery({ queryKey: ['connections'], queryFn: () => call<Connection[]>('GET', '/connections') })
  if (all.isPending) return <Loading />
  if (all.error) return <Trouble error={all.error} again={() => void all.refetch()} />
  if (all.data.length === 0) {
    return (
      <>
        <Head title="Connections" />
        <Empty title="Nothing is connected yet">
          A connection says how one outside service is reached, and keeps its secret.
          <span className="mt-3 block">
            <NewConnection />
          </span>
        </Empty>
      </>
    )
  }
  const broken = all.data.filter((c) => !state(c).fine).length
  return (
    <div className="flex min-h-full flex-col md:h-full">
      <Head
        title="Connections"
        beside={
          <>
            <Chip>{count(all.data.length, 'connection')}</Chip>
            {broken > 0 && (
              <Chip>
                {broken} {broken === 1 ? 'needs' : 'need'} a look
              </Chip>
            )}
          </>
        }
        right={<NewConnection />}
      />
      {signedIn && (
        <div className="px-4 md:px-6">
          <VerdictNote fine={signedIn.fine} words={signedIn.said} />
        </div>
      )}
      <div className="flex min-h-0 flex-1 flex-col md:flex-row">
        <nav
          aria-label="Connections"
          className={`shrink-0 border-line md:block md:w-80 md:overflow-y-auto md:border-r ${id ? 'hidden' : ''}`}
        >
          <ul className="divide-y divide-line">
            {[...all.data]
              .sort((a, b) => a.title.localeCompare(b.title))
              .map((c) => (
                <li key={c.id}>
                  <NavLink
                    to={`/connections/${c.id}`}
                    className={({ isActive }) =>
                      `block px-4 py-2.5 no-underline hover:bg-raised md:px-5 ${isActive ? 'bg-raised' : ''}`
                    }
                  >
                    <span className="flex items-baseline justify-between gap-3">
                      <span className="font-semibold">{c.title}</span>
                      <State c={c} />
                    </span>
                    <span className="block truncate text-[0.87rem] text-quiet">
                      {kindTitles[c.kind] ?? plain(c.kind)} ·{' '}
                      {c.used_by.length > 0 ? `used by ${c.used_by.map(plain).join(', ')}` : 'used by nobody'}
                    </span>
                  </NavLink>
                </li>
              ))}
          </ul>
        </nav>
        <section className={`min-w-0 flex-1 md:overflow-y-auto ${id ? '' : 'max-md:hidden'}`}>
          {id ? (
            <One key={id} id={id} />
          ) : (
            <Empty title="Choose one">You see whether it works, who uses it, and what it offers.</Empty>
          )}
        </section>
      </div>
    </div>
  )
}

/** NewConnection makes one more. */
function NewConnection() {
  const [making, make] = useState(false)
  const go = useNavigate()
  return (
    <>
      <Button strong onClick={() => make(true)}>
        New connection
      </Button>
      {making && (
        <Connect
          onMade={(id) => {
            make(false)
            void go(`/connections/${id}`)
          }}
          onClose={() => make(false)}
        />
      )}
    </>
  )
}

function One({ id }: { id: string }) {
  const client = useQueryClient()
  const one = useQuery({
    queryKey: ['connection', id],
    queryFn: () => call<ConnectionDetail>('GET', `/connections/${id}`),
  })
  const refresh = () => {
    void client.invalidateQueries({ queryKey: ['connection', id] })
    void client.invalidateQueries({ queryKey: ['connections'] })
  }
  const test = useMutation({ mutationFn: () => call<Verdict>('POST', `/connections/${id}/test`), onSettled: refresh })
  if (one.isPending) return <Loading />
  if (one.error) return <Trouble error={one.error} again={() => void one.refetch()} />
  const c = one.data
  const verdict = test.data ?? c.verdict
  return (
    <div className="max-w-3xl px-4 py-4 md:px-6">
      <Link to="/connections" className="text-[0.87rem] text-quiet underline underline-offset-2 md:hidden">
        All connections
      </Link>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <h2 className="text-lg font-bold">{c.title}</h2>
        <State c={c} />
        <Button className="ml-auto" disabled={test.isPending} onClick={() => test.mutate()}>
          <PlugZap size={16} aria-hidden="true" />
          {test.isPending ? <span className="breathe">Trying…</span> : 'Test it'}
        </Button>
      </div>
      {test.error && <VerdictNote fine={false} words={test.error.message} />}
      {verdict && <VerdictNote fine={verdict.fine} words={verdict.words} remedy={verdict.remedy} />}
      {c.problem && <VerdictNote fine={false} words={`The last call failed: ${c.problem}`} />}
      <dl className="mt-4 grid grid-cols-[8rem_minmax(0,1fr)] gap-y-1.5 text-[0.95rem] [&>dt]:text-quiet">
        <dt>Kind</dt>
        <dd>{kindTitles[c.kind] ?? plain(c.kind)}</dd>
        {c.address && (
          <>
            <dt>Address</dt>
            <dd className="font-mono text-[0.87rem] wrap-anywhere">{c.address}</dd>
          </>
        )}
        <dt>Acts as</dt>
        <dd>
          {
            {
              workspace: 'the workspace’s own identity',
              builder: 'the builder who signed in',
              person: 'the person who is served',
            }[c.acts_as]
          }
        </dd>
        <dt>Used by</dt>
        <dd>{c.used_by.length > 0 ? c.used_by.map(plain).join(', ') : 'nobody yet'}</dd>
        <dt>Last worked</dt>
        <dd>
          {c.worked ? when(c.worked) : 'not yet'}
          {c.tested && <span className="text-quiet"> · tested {when(c.tested)}</span>}
        </dd>
        {c.sign_in?.expires && (
          <>
            <dt>Signed in till</dt>
            <dd>
              {when(c.sign_in.expires)} <span className="text-quiet">(renewed by itself)</span>
            </dd>
          </>
        )}
        {c.watched?.map((w, i) => (
          <Watched key={i} what={w.what} looked={w.looked} problem={w.problem} />
        ))}
      </dl>
      {c.sign_in && <SignIn c={c} />}
      {c.needs_secret && <Secret c={c} done={refresh} />}
      <Tools all={c.operations} />
      <File c={c} />
    </div>
  )
}

/** File is its file, which is changed by a press that says whom it counts for. */
function File({ c }: { c: ConnectionDetail }) {
  const [changing, change] = useState(false)
  return (
    <>
      <h3 className="mt-6 flex items-center justify-between font-semibold">
        File <Button onClick={() => change(true)}>Change it…</Button>
      </h3>
      <pre
        className="mt-1 overflow-x-auto rounded-md border border-line bg-raised p-3 font-mono text-[0.83rem]"
        tabIndex={0}
      >
        {c.text}
      </pre>
      <p className="mt-1 text-[0.87rem] text-quiet">
        {c.file}. It holds no secret; what is written there acts as soon as it is kept.
      </p>
      {changing && (
        <Side title={`Change ${c.title}`} onClose={() => change(false)}>
          <Edited id={c.id} text={c.text} kind={c.kind} onMade={() => change(false)} />
        </Side>
      )}
    </>
  )
}

function Watched({ what, looked, problem }: { what: string; looked: string; problem?: string }) {
  return (
    <>
      <dt>Watched</dt>
      <dd>
        {what}, looked at {when(looked)}
        {problem && <span className="text-madder">: {problem}</span>}
      </dd>
    </>
  )
}

function SignIn({ c }: { c: ConnectionDetail }) {
  const begin = useMutation({
    mutationFn: () => call<{ address: string }>('POST', `/connections/${c.id}/sign-in`),
    onSuccess: (a) => window.location.assign(a.address),
  })
  const s = c.sign_in
  if (!s) return null
  return (
    <section aria-label="Signing in" className="mt-6 rounded-lg border border-line bg-raised p-4">
      <h3 className="font-semibold">
        {s.grant === 'client_credentials'
          ? 'The service signs in by itself'
          : s.signed_in
            ? 'Somebody has signed in'
            : 'Nobody has signed in yet'}
      </h3>
      {s.problem && <p className="mt-1 text-madder">{s.problem}</p>}
      {s.scopes?.length > 0 && (
        <ul className="mt-2 list-inside list-disc">
          {s.scopes.map((x) => (
            <li key={x.name}>
              {x.words} <span className="font-mono text-[0.83rem] text-quiet">{x.name}</span>
            </li>
          ))}
        </ul>
      )}
      {s.grant === 'authorization_code' && (
        <>
          <p className="mt-3 text-[0.87rem] text-quiet">
            The redirect address, to be written down at the sign-in server, to the letter:
          </p>
          <p className="mt-1 flex items-center gap-2">
            <code className="min-w-0 flex-1 overflow-x-auto rounded border border-line bg-paper px-2 py-1 font-mono text-[0.87rem]">
              {s.redirect}
            </code>
            <Copy text={s.redirect} what="the redirect address" />
          </p>
          <Button strong className="mt-3" disabled={begin.isPending} onClick={() => begin.mutate()}>
            {s.signed_in || s.problem ? 'Sign in again' : `Sign in for ${c.title}`}
          </Button>
          {begin.error && (
            <p role="alert" className="mt-2 text-madder">
              {begin.error.message}
            </p>
          )}
        </>
      )}
    </section>
  )
}

const again: Record<Tool['resend'], string> = {
  safe: 'changes nothing more',
  idempotency_key: 'the other side knows it by a key',
  own_id: 'the same thing, by our id',
  never: 'never; a person is asked',
}

function Tools({ all }: { all: Tool[] }) {
  const [words, setWords] = useState('')
  if (all.length === 0) return null
  const fit = all.filter((t) =>
    words
      .toLowerCase()
      .split(/\s+/)
      .every((w) => `${t.name} ${t.description}`.toLowerCase().includes(w)),
  )
  return (
    <section aria-label="Tools" className="mt-6">
      <div className="flex flex-wrap items-center gap-3">
        <h3 className="font-semibold">{count(all.length, 'tool')}</h3>
        {all.length > 6 && (
          <input
            type="search"
            aria-label="Search these tools"
            placeholder="Search"
            value={words}
            onChange={(e) => setWords(e.target.value)}
            className="ml-auto w-56 rounded-md border border-line bg-paper px-3 py-1"
          />
        )}
      </div>
      <ul className="mt-2 divide-y divide-line border-y border-line">
        {fit.slice(0, 200).map((t) => (
          <ToolRow key={t.name} t={t} />
        ))}
      </ul>
      {fit.length > 200 && (
        <p className="mt-1 text-[0.87rem] text-quiet">The first 200 of {fit.length}; search for others.</p>
      )}
      {fit.length === 0 && <p className="mt-2 text-quiet">None has all of these words.</p>}
    </section>
  )
}

function ToolRow({ t }: { t: Tool }) {
  return (
    <li className="grid gap-x-4 py-2 md:grid-cols-[13rem_minmax(0,1fr)]">
      <span className="font-mono text-[0.87rem] wrap-anywhere">
        {t.name.split('/')[1]}
        <span
          className={`block font-sans ${t.readOnlyHint ? 'text-quiet' : t.destructiveHint ? 'text-madder' : 'text-weld'}`}
        >
          {t.readOnlyHint ? 'only reads' : t.destructiveHint ? 'removes something' : 'changes something'}
        </span>
      </span>
      <span className="min-w-0">
        <span className="line-clamp-2">{t.description}</span>
        <span className="block text-[0.87rem] text-quiet">
          Sent again: {again[t.resend]}.{t.says ? ` The server says it ${t.says}; nobody has confirmed that.` : ''}
        </span>
        <details className="text-[0.87rem]">
          <summary className="cursor-pointer text-quiet">What it takes and gives</summary>
          <Contents title="Takes" parts={t.takes ?? []} none="no argument" lacking="if wanted" />
          <Contents title="Gives" parts={t.gives ?? []} none="it does not say what" lacking="may be missing" />
        </details>
      </span>
    </li>
  )
}

/** Contents lists what a value consists of; lacking is said of what need not be there. */
function Contents({ title, parts, none, lacking }: { title: string; parts: Content[]; none: string; lacking: string }) {
  return (
    <div className="mt-1">
      <h4 className="font-semibold">{title}</h4>
      {parts.length === 0 && <p className="text-quiet">{none}</p>}
      <ul>
        {parts.map((p) => (
          <li key={p.path} className="wrap-anywhere">
            <code className="font-mono">{p.path || 'all of it'}</code>{' '}
            <span className="text-quiet">
              {[p.kind, p.sure ? '' : lacking, p.choices ? `one of ${p.choices.join(', ')}` : '', p.what]
                .filter(Boolean)
                .join(' · ')}
            </span>
          </li>
        ))}
      </ul>
    </div>
  )
}
