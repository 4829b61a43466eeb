import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { type FormEvent } from 'react'
import { call, type ChatCode, type ChatName, type ChatNames as Linked, type Session, type TokenListed } from '../api'
import { Field } from '../parts/field'
import { Head } from '../parts/frame'
import { Button, Empty, Loading, Trouble } from '../parts/states'
import { when } from '../words'

/** Account is one's own: the password, and the tokens programs act with. */
export default function Account({ session }: { session: Session }) {
  return (
    <>
      <Head title={session.person.name}>
        <p className="mt-0.5 text-quiet">
          {session.person.email}, {session.person.role}
        </p>
      </Head>
      <div className="max-w-3xl space-y-8 px-4 py-5 md:px-6">
        <Tokens session={session} />
        <ChatNames />
        <Password />
      </div>
    </>
  )
}

function Tokens({ session }: { session: Session }) {
  const client = useQueryClient()
  const all = useQuery({ queryKey: ['tokens'], queryFn: () => call<TokenListed[]>('GET', '/tokens') })
  const revoke = useMutation({
    mutationFn: (id: string) => call('DELETE', `/tokens/${id}`),
    onSettled: () => void client.invalidateQueries({ queryKey: ['tokens'] }),
  })
  return (
    <section aria-label="Tokens">
      <h2 className="font-semibold">Tokens</h2>
      <p className="text-quiet">
        With a token a program acts as you. <code className="font-mono text-[0.87em]">woolsignal login</code> makes one.
        A token that is revoked opens nothing from that moment on.
      </p>
      {all.isPending && <Loading />}
      {all.error && <Trouble error={all.error} />}
      {all.data?.length === 0 && <Empty title="No tokens">No program acts as you.</Empty>}
      <ul className="mt-2 divide-y divide-line">
        {all.data?.map((t) => (
          <li key={t.id} className="flex flex-wrap items-center gap-x-4 gap-y-1 py-2">
            <span className="min-w-0 flex-1">
              {t.name} <span className="font-mono text-[0.84rem] text-quiet">{t.id}</span>
              {t.owner !== session.person.email && (
                <span className="block text-[0.87rem] text-quiet">of {t.owner}</span>
              )}
            </span>
            <span className="text-[0.87rem] text-quiet">
              made {when(t.made)}, used {when(t.seen)}
            </span>
            <Button aria-label={`Revoke ${t.id}`} disabled={revoke.isPending} onClick={() => revoke.mutate(t.id)}>
              Revoke
            </Button>
          </li>
        ))}
      </ul>
      {revoke.error && (
        <p role="alert" className="text-madder">
          {revoke.error.message}
        </p>
      )}
    </section>
  )
}

function ChatNames() {
  const client = useQueryClient()
  const all = useQuery({ queryKey: ['chat-names'], queryFn: () => call<Linked>('GET', '/chat-names') })
  const begin = useMutation({
    mutationFn: (connection: string) => call<ChatCode>('POST', '/chat-names', { connection }),
  })
  const unlink = useMutation({
    mutationFn: (n: ChatName) =>
      call('DELETE', `/chat-names/${encodeURIComponent(n.connection)}/${encodeURIComponent(n.handle)}`),
    onSettled: () => void client.invalidateQueries({ queryKey: ['chat-names'] }),
  })
  if (all.data?.servers.length === 0 && all.data.names.length === 0) return null
  return (
    <section aria-label="Chat names">
      <h2 className="font-semibold">Chat names</h2>
      <p className="text-quiet">
        What you ask for in a chat is done as you only once your name there is linked. Until then it is done for nobody.
      </p>
      {all.isPending && <Loading />}
      {all.error && <Trouble error={all.error} />}
      <ul className="mt-2 divide-y divide-line">
        {all.data?.names.map((n) => (
          <li key={`${n.connection} ${n.handle}`} className="flex flex-wrap items-center gap-x-4 gap-y-1 py-2">
            <span className="min-w-0 flex-1">
              {n.handle} <span className="text-quiet">at {n.title}</span>
            </span>
            <span className="text-[0.87rem] text-quiet">linked {when(n.linked)}</span>
            <Button aria-label={`Unlink ${n.handle}`} disabled={unlink.isPending} onClick={() => unlink.mutate(n)}>
              Unlink
            </Button>
          </li>
        ))}
      </ul>
      {all.data?.servers.map((s) => (
        <Button
          key={s.connection}
          className="mt-2 mr-2"
          disabled={begin.isPending}
          onClick={() => begin.mutate(s.connection)}
        >
          Link a name at {s.title}
        </Button>
      ))}
      {begin.data && (
        <p role="status" className="mt-2">
          Write this to the bot at {begin.data.to}, in private, by your name there:{' '}
          <code className="font-mono">{begin.data.write}</code>. It is good once, till {when(begin.data.expires)}.
        </p>
      )}
      {(begin.error ?? unlink.error) && (
        <p role="alert" className="mt-2 text-madder">
          {(begin.error ?? unlink.error)?.message}
        </p>
      )}
    </section>
  )
}

function Password() {
  const change = useMutation({ mutationFn: (v: { password: string; next: string }) => call('PUT', '/password', v) })
  const send = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const form = e.currentTarget
    const given = new FormData(form)
    change.mutate(
      { password: String(given.get('password')), next: String(given.get('next')) },
      { onSuccess: () => form.reset() },
    )
  }
  return (
    <section aria-label="Password">
      <h2 className="font-semibold">Password</h2>
      <form onSubmit={send} className="max-w-sm">
        <Field type="password" name="password" label="The one you have" autoComplete="current-password" />
        <Field type="password" name="next" label="The next" autoComplete="new-password" />
        <Button strong type="submit" className="mt-3" disabled={change.isPending}>
          Change it
        </Button>
      </form>
      {change.error && (
        <p role="alert" className="mt-2 text-madder">
          {change.error.message}
        </p>
      )}
      {change.isSuccess && (
        <p role="status" className="mt-2 text-lichen">
          Changed. Other browsers that were signed in as you are signed out.
        </p>
      )}
    </section>
  )
}
