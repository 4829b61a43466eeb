import { useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { useDeferredValue, useState } from 'react'
import { Link } from 'react-router'
import { call, type Run, type Workflow } from '../api'
import { Head } from '../parts/frame'
import { Badge, Button, Empty, Loading, Trouble } from '../parts/states'
import { count, money, took, when } from '../words'

const statuses = ['queued', 'running', 'waiting', 'done', 'failed', 'stopped']

/** Runs lists runs, newest first, by filters that read as a sentence. */
export default function Runs() {
  const [filters, setFilters] = useState({ workflow: '', status: '', text: '' })
  const { workflow, status } = filters
  const text = useDeferredValue(filters.text)
  const pages = useInfiniteQuery({
    queryKey: ['runs', workflow, status, text],
    queryFn: ({ pageParam }) =>
      call<{ runs: Run[]; next?: string }>(
        'GET',
        '/runs?' + new URLSearchParams({ workflow, status, text, before: pageParam }),
      ),
    initialPageParam: '',
    getNextPageParam: (p) => p.next,
    placeholderData: (before) => before,
  })
  const found = pages.data?.pages.flatMap((p) => p.runs) ?? []
  return (
    <>
      <Head
        title="Runs"
        beside={
          <Link to="/runs/follow-ups" className="text-indigo underline underline-offset-2">
            Follow-ups
          </Link>
        }
      >
        <Filters filters={filters} set={setFilters} />
      </Head>
      {pages.isPending && <Loading />}
      {pages.error && <Trouble error={pages.error} again={() => void pages.refetch()} />}
      {pages.data &&
        found.length === 0 &&
        (workflow || status || text ? (
          <Empty title="No run is like that">Loosen one of the filters above.</Empty>
        ) : (
          <Empty title="Nothing has run yet">Open a workflow and talk to it, or send it a delivery.</Empty>
        ))}
      {found.length > 0 && (
        <div className="overflow-x-auto">
          <RunTable runs={found} />
          <p className="px-4 py-3 text-quiet md:px-6">
            {pages.hasNextPage ? (
              <Button onClick={() => void pages.fetchNextPage()} disabled={pages.isFetchingNextPage}>
                Show older ones
              </Button>
            ) : (
              count(found.length, 'run')
            )}
          </p>
        </div>
      )}
    </>
  )
}

interface Filtered {
  workflow: string
  status: string
  text: string
}

/** Filters is what one looks for, as a sentence. */
function Filters({ filters, set }: { filters: Filtered; set: (filters: Filtered) => void }) {
  const workflows = useQuery({ queryKey: ['workflows'], queryFn: () => call<Workflow[]>('GET', '/workflows') })
  const select = 'max-w-60 rounded border-b border-indigo/40 bg-transparent py-0.5 font-semibold text-indigo'
  return (
    <form
      role="search"
      onSubmit={(e) => e.preventDefault()}
      className="mt-2 flex flex-wrap items-center gap-x-1.5 gap-y-1"
    >
      Runs of
      <select
        aria-label="Workflow"
        className={select}
        value={filters.workflow}
        onChange={(e) => set({ ...filters, workflow: e.target.value })}
      >
        <option value="">any workflow</option>
        {workflows.data?.map((w) => (
          <option key={w.id} value={w.id}>
            {w.title}
          </option>
        ))}
      </select>
      that are
      <select
        aria-label="Status"
        className={select}
        value={filters.status}
        onChange={(e) => set({ ...filters, status: e.target.value })}
      >
        <option value="">in any state</option>
        {statuses.map((s) => (
          <option key={s}>{s}</option>
        ))}
      </select>
      and speak of
      <input
        aria-label="Words"
        value={filters.text}
        onChange={(e) => set({ ...filters, text: e.target.value })}
        placeholder="anything"
        className="w-40 border-b border-indigo/40 bg-transparent py-0.5 font-semibold text-indigo placeholder:text-indigo/70"
      />
    </form>
  )
}

function RunTable({ runs }: { runs: Run[] }) {
  return (
    <table className="w-full min-w-160 text-left">
      <thead className="text-[0.84rem] text-quiet">
        <tr>
          {['What it was about', 'State', 'Workflow', 'When', 'Took', 'Tokens', 'Cost'].map((h, i) => (
            <th
              key={h}
              scope="col"
              className={`py-2 pr-4 font-normal first:pl-4 md:first:pl-6 ${i > 3 ? 'text-right' : ''}`}
            >
              {h}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {runs.map((r) => (
          <tr key={r.id} className="border-t border-line hover:bg-raised">
            <td className="max-w-56 py-2 md:max-w-90 pr-4 pl-4 md:pl-6">
              <Link to={`/runs/${r.id}`} className="block truncate no-underline hover:underline">
                {r.about || r.id}
              </Link>
            </td>
            <td className="py-2 pr-4">
              <Badge status={r.status} />
            </td>
            <td className="max-w-48 truncate py-2 pr-4" title={r.title}>
              {r.title}
            </td>
            <td className="py-2 pr-4 whitespace-nowrap text-quiet">{when(r.accepted)}</td>
            <td className="py-2 pr-4 text-right whitespace-nowrap text-quiet">{took(r.accepted, r.ended)}</td>
            <td className="py-2 pr-4 text-right text-quiet">{r.input_tokens + r.output_tokens || ''}</td>
            <td className="py-2 pr-4 text-right whitespace-nowrap text-quiet">
              {r.cost_micros ? money(r.cost_micros) : ''}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
