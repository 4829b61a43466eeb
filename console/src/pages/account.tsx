import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { type FormEvent } from 'react'
import { call, type Session, type TokenListed } from '../api'
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
