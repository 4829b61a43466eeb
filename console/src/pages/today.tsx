import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { Link } from 'react-router'
import { call, type Run, type Today as TodayData } from '../api'
import { Head } from '../parts/frame'
import { Badge, Chip, Loading, Trouble } from '../parts/states'
import { ago, audience, count, money, when } from '../words'

/** Today is what needs a person now, what is going on, and what it cost. */
export default function Today() {
  const today = useQuery({
    queryKey: ['today'],
    queryFn: () => call<TodayData>('GET', '/today'),
    refetchInterval: 60_000,
  })
  if (today.isPending) return <Loading />
  if (today.error) return <Trouble error={today.error} again={() => void today.refetch()} />
  const d = today.data
  const calm = d.reviews.length + d.failed.length + d.missing.length === 0
  return (
    <>
      <Head
        title="Today"
        beside={
          <>
            <Chip>{count(d.runs, 'run')}</Chip>
            <Chip>
              {count(d.input_tokens + d.output_tokens, 'token')} · {money(d.cost_micros)}
            </Chip>
          </>
        }
      />
      <div className="grid max-w-5xl gap-x-10 gap-y-6 px-4 py-5 md:px-6 lg:grid-cols-2">
        <div className="space-y-6">
          {calm && <p className="rounded-lg border border-line bg-raised p-4">Nothing needs you just now.</p>}
          <Part title="Waiting for you" show={d.reviews.length > 0}>
            {d.reviews.map((r) => (
              <Row key={r.id} to={`/reviews/${r.id}`} right={<span className="text-weld">{ago(r.asked)}</span>}>
                {r.title}
                {r.about && (
                  <>
                    {/[?!.]$/.test(r.title) ? '' : ':'} “{r.about}”
                  </>
                )}
                <span className="block text-[0.87rem] text-quiet">
                  {r.from} · for {audience(r.ask)}
                </span>
              </Row>
            ))}
          </Part>
          <Part title="Connections to see to" show={d.missing.length > 0}>
            {d.missing.map((c) => (
              <Row
                key={c.id}
                to={`/connections/${c.id}`}
                right={<span className="text-weld">{c.sign_in ? 'sign in' : 'lacks its secret'}</span>}
              >
                {c.title}
                <span className="block text-[0.87rem] text-quiet">used by {c.used_by.join(', ')}</span>
              </Row>
            ))}
          </Part>
          <Part title="Failed since yesterday" show={d.failed.length > 0}>
            {d.failed.map((r) => (
              <RunRow key={r.id} run={r} />
            ))}
          </Part>
        </div>
        <div className="space-y-6">
          <Part title="Going on" show>
            {d.running.length === 0 && (
              <li className="px-4 py-2.5 text-quiet">
                Nothing is running. A message, a delivery or a time of day starts the next run.
              </li>
            )}
            {d.running.map((r) => (
              <RunRow key={r.id} run={r} />
            ))}
          </Part>
        </div>
      </div>
    </>
  )
}

function Part({ title, show, children }: { title: string; show: boolean; children: ReactNode }) {
  if (!show) return null
  return (
    <section>
      <h2 className="mb-1.5 font-semibold">{title}</h2>
      <ul className="divide-y divide-line rounded-lg border border-line bg-raised">{children}</ul>
    </section>
  )
}

function Row({ to, right, children }: { to: string; right: ReactNode; children: ReactNode }) {
  return (
    <li>
      <Link to={to} className="flex justify-between gap-4 px-4 py-2.5 no-underline hover:bg-wash">
        <span className="min-w-0 wrap-anywhere">{children}</span>
        <span className="shrink-0 text-right text-[0.87rem]">{right}</span>
      </Link>
    </li>
  )
}

function RunRow({ run }: { run: Run }) {
  return (
    <Row
      to={`/runs/${run.id}`}
      right={
        <>
          <Badge status={run.status} />
          <span className="block text-quiet">{when(run.accepted)}</span>
        </>
      }
    >
      {run.about || run.title}
      <span className="block text-[0.87rem] text-quiet">
        {run.title}
        {run.because && `: ${run.because}`}
      </span>
    </Row>
  )
}
