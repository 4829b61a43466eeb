import { useInfiniteQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { call, type FollowUps as Page } from '../api'
import { FollowUpLine } from '../parts/follow-up'
import { Head } from '../parts/frame'
import { Button, Empty, Loading, Trouble } from '../parts/states'

/** FollowUps lists when conversations go on by themselves, as agents asked, the next first. */
export default function FollowUps() {
  const pages = useInfiniteQuery({
    queryKey: ['follow-ups'],
    queryFn: ({ pageParam }) => call<Page>('GET', '/follow-ups?' + new URLSearchParams({ after: pageParam })),
    initialPageParam: '',
    getNextPageParam: (p) => p.next,
  })
  const found = pages.data?.pages.flatMap((p) => p.follow_ups) ?? []
  return (
    <>
      <Head
        title="Follow-ups"
        above={
          <Link to="/runs" className="no-underline hover:underline">
            Runs
          </Link>
        }
      />
      {pages.isPending && <Loading />}
      {pages.error && <Trouble error={pages.error} again={() => void pages.refetch()} />}
      {pages.data && found.length === 0 && (
        <Empty title="No follow-up is set">
          An agent that may follow up comes back to a conversation at a time it says; what it set is listed here, and
          can be cancelled.
        </Empty>
      )}
      {found.length > 0 && (
        <ul className="m-4 max-w-4xl divide-y divide-line rounded-lg border border-line bg-raised md:mx-6">
          {found.map((f) => (
            <li key={f.id} className="px-4 py-2.5">
              <FollowUpLine of={f} may />
              <span className="block text-[0.87rem] text-quiet">
                {f.with ? `${f.with}, in ` : 'in '}
                <Link to={`/runs/${f.run}`} className="underline underline-offset-2">
                  a run of {f.title}
                </Link>
              </span>
            </li>
          ))}
        </ul>
      )}
      {pages.hasNextPage && (
        <p className="px-4 pb-4 md:px-6">
          <Button onClick={() => void pages.fetchNextPage()} disabled={pages.isFetchingNextPage}>
            Show later ones
          </Button>
        </p>
      )}
    </>
  )
}
