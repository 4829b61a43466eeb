import { useInfiniteQuery } from '@tanstack/react-query'
import { useDeferredValue, useState } from 'react'
import { Link } from 'react-router'
import { call, type Facts as Page } from '../api'
import { FactLine } from '../parts/fact'
import { Head } from '../parts/frame'
import { Button, Empty, Loading, Trouble } from '../parts/states'

/** Facts lists what agents and steps keep for later conversations, the newest first. */
export default function Facts() {
  const [words, setWords] = useState('')
  const contains = useDeferredValue(words)
  const pages = useInfiniteQuery({
    queryKey: ['facts', contains],
    queryFn: ({ pageParam }) => call<Page>('GET', '/facts?' + new URLSearchParams({ contains, after: pageParam })),
    initialPageParam: '',
    getNextPageParam: (p) => p.next,
    placeholderData: (before) => before,
  })
  const found = pages.data?.pages.flatMap((p) => p.facts) ?? []
  return (
    <>
      <Head
        title="Facts"
        above={
          <Link to="/agents" className="no-underline hover:underline">
            Agents
          </Link>
        }
      >
        <input
          type="search"
          aria-label="Words in a fact"
          placeholder="Words in a fact"
          className="mt-2 w-full max-w-xs rounded-md border border-line bg-raised px-3 py-1.5"
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
      </Head>
      {pages.isPending && <Loading />}
      {pages.error && <Trouble error={pages.error} again={() => void pages.refetch()} />}
      {pages.data &&
        found.length === 0 &&
        (contains ? (
          <Empty title="No fact has these words">Look for other words, or for fewer.</Empty>
        ) : (
          <Empty title="No fact is kept">
            An agent that may keep facts notes what it is told for later conversations; a step can, too. What they keep
            is listed here, and can be corrected or removed.
          </Empty>
        ))}
      {found.length > 0 && (
        <ul className="m-4 max-w-4xl divide-y divide-line rounded-lg border border-line bg-raised md:mx-6">
          {found.map((f) => (
            <li key={f.id} className="px-4 py-2.5">
              <FactLine of={f} />
            </li>
          ))}
        </ul>
      )}
      {pages.hasNextPage && (
        <p className="px-4 pb-4 md:px-6">
          <Button onClick={() => void pages.fetchNextPage()} disabled={pages.isFetchingNextPage}>
            Show older ones
          </Button>
        </p>
      )}
    </>
  )
}
