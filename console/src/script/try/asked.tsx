import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import { call, type ConnectionDetail, type Detail } from '../../api'
import { Secret } from '../../parts/secret'
import { Button } from '../../parts/states'

type Review = Detail['reviews'][number]

/** Asked is what a try waits for: what is missing is given, what is asked is decided, right here. */
export function Asked({ run }: { run: Detail }) {
  const open = run.reviews.filter((r) => !r.choice)
  return (
    <>
      {open.map((r) => (
        <section key={r.id} aria-label="It waits for you" className="rounded-md border border-weld p-3">
          {r.needs ? <Missing connection={r.needs} run={run.id} /> : <Decide review={r} run={run.id} />}
        </section>
      ))}
    </>
  )
}

/** Missing asks for the secret a connection lacks; the try goes on by itself once it is there. */
function Missing({ connection, run }: { connection: string; run: string }) {
  const client = useQueryClient()
  const path = `/connections/${encodeURIComponent(connection)}`
  const one = useQuery({
    queryKey: ['connection', connection],
    queryFn: () => call<ConnectionDetail>('GET', path),
  })
  const done = () => {
    void client.invalidateQueries({ queryKey: ['run', run] })
    void client.invalidateQueries({ queryKey: ['connection', connection] })
  }
  if (!one.data) return null
  return (
    <>
      <p>
        <b>{one.data.title}</b> is needed here, and nobody has given its secret{' '}
        {one.data.moved ? 'for where it leads now' : 'yet'}.
      </p>
      {one.data.sign_in ? (
        <Link to={`/connections/${connection}`} className="text-indigo underline underline-offset-2">
          Sign in for {one.data.title}
        </Link>
      ) : (
        <Secret c={one.data} done={done} />
      )}
    </>
  )
}

/** Decide decides a review as it stands; the whole of it is one press away. */
function Decide({ review: r, run }: { review: Review; run: string }) {
  const client = useQueryClient()
  const decide = useMutation({
    mutationFn: (choice: string) => call('POST', `/reviews/${r.id}`, { choice }),
    onSettled: () => void client.invalidateQueries({ queryKey: ['run', run] }),
  })
  return (
    <>
      <p className="font-semibold">{r.title}</p>
      {r.why && <p className="text-[0.93rem]">{r.why}</p>}
      <p className="mt-2 flex flex-wrap items-center gap-2">
        {r.choices.map((c, i) => (
          <Button key={c} strong={i === 0} disabled={decide.isPending} onClick={() => decide.mutate(c)}>
            <span className="first-letter:uppercase">{c}</span>
          </Button>
        ))}
        <Link to={`/reviews/${r.id}`} className="text-indigo underline underline-offset-2">
          See all of it
        </Link>
      </p>
      {decide.error && (
        <p role="alert" className="text-madder">
          {decide.error.message}
        </p>
      )}
    </>
  )
}
