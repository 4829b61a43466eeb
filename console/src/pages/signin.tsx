import { useMutation, useQueryClient } from '@tanstack/react-query'
import { type FormEvent, type ReactNode } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import { call, type Session } from '../api'
import { Field } from '../parts/field'
import { Button } from '../parts/states'

function Sheet({ title, children }: { title: string; children: ReactNode }) {
  return (
    <main className="flex min-h-screen items-center justify-center px-4">
      <div className="w-full max-w-sm rounded-xl border border-line bg-raised p-7">
        <svg viewBox="0 0 340 40" className="mb-4 w-full" fill="none" strokeLinecap="round" aria-hidden="true">
          <path
            d="M2 30c30 0 34-24 68-24s36 26 70 26 38-24 72-24 40 22 66 22 34-20 58-22"
            stroke="var(--indigo)"
            strokeWidth="4"
          />
          <circle cx="336" cy="8" r="4" fill="var(--madder)" />
        </svg>
        <h1 className="text-xl font-bold">{title}</h1>
        {children}
      </div>
    </main>
  )
}

function useEnter(path: string) {
  const client = useQueryClient()
  const go = useNavigate()
  return useMutation({
    mutationFn: (values: Record<string, unknown>) => call<Session>('POST', path, values),
    onSuccess: (session) => {
      client.setQueryData(['session'], session)
      if (path === '/join') void go('/', { replace: true })
    },
  })
}

function values(e: FormEvent<HTMLFormElement>) {
  e.preventDefault()
  return Object.fromEntries(new FormData(e.currentTarget))
}

/** SignIn asks who one is. */
export function SignIn() {
  const enter = useEnter('/session')
  return (
    <Sheet title="Wool Signal">
      <form onSubmit={(e) => enter.mutate(values(e))}>
        <Field label="E-mail" name="email" type="email" autoComplete="username" autoFocus />
        <Field label="Password" name="password" type="password" autoComplete="current-password" />
        {enter.error && (
          <p role="alert" className="mt-3 text-madder">
            {enter.error.message}
          </p>
        )}
        <Button strong type="submit" disabled={enter.isPending} className="mt-5 w-full justify-center">
          Sign in
        </Button>
      </form>
    </Sheet>
  )
}

/** Join makes an account with a one-time link. */
export function Join() {
  const [params] = useSearchParams()
  const enter = useEnter('/join')
  return (
    <Sheet title="Make your account">
      <p className="mt-1 text-quiet">This link works once. You will be signed in.</p>
      <form onSubmit={(e) => enter.mutate({ ...values(e), key: params.get('key') ?? '' })}>
        <Field label="Your name" name="name" autoComplete="name" autoFocus />
        <Field label="E-mail" name="email" type="email" autoComplete="username" />
        <Field
          label="Password, at least 10 characters"
          name="password"
          type="password"
          minLength={10}
          autoComplete="new-password"
        />
        {enter.error && (
          <p role="alert" className="mt-3 text-madder">
            {enter.error.message}
          </p>
        )}
        <Button strong type="submit" disabled={enter.isPending} className="mt-5 w-full justify-center">
          Make the account
        </Button>
      </form>
    </Sheet>
  )
}
