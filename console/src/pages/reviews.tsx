import { useQuery } from '@tanstack/react-query'
import { useCallback, useMemo } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { call, type Review } from '../api'
import { Head } from '../parts/frame'
import { useKeys } from '../parts/keys'
import { Sheet } from '../parts/sheet'
import { Chip, Empty, Key, Loading, Trouble } from '../parts/states'
import { ago, audience } from '../words'

/** Reviews shows what waits for a person, one at a time, decided with a key. */
export default function Reviews() {
  const { id } = useParams()
  const go = useNavigate()
  const all = useQuery({ queryKey: ['reviews'], queryFn: () => call<{ reviews: Review[] }>('GET', '/reviews') })
  const one = useQuery({
    queryKey: ['reviews', id],
    queryFn: () => call<Review>('GET', `/reviews/${id}`),
    enabled: !!id,
  })
  const list = useMemo(() => all.data?.reviews ?? [], [all.data])
  const yours = list.filter((r) => r.yours)
  const shown = useMemo(() => [...list.filter((r) => r.yours), ...list.filter((r) => !r.yours)], [list])
  const open = id ? one.data : shown[0]
  const move = useCallback(
    (by: number) => {
      const at = shown.findIndex((r) => r.id === open?.id)
      const next = shown[Math.min(shown.length - 1, Math.max(0, at + by))]
      if (next) void go(`/reviews/${next.id}`)
    },
    [shown, open, go],
  )
  useKeys({ j: () => move(1), k: () => move(-1) })
  if (all.isPending) return <Loading />
  if (all.error) return <Trouble error={all.error} again={() => void all.refetch()} />
  return (
    <div className="flex h-full flex-col">
      <Head
        title="Reviews"
        beside={
          <>
            <Chip>{yours.length} for you</Chip>
            {list.length > yours.length && (
              <Chip>
                <span className="text-quiet">{list.length - yours.length} for others</span>
              </Chip>
            )}
            <span className="ml-auto hidden items-center gap-2 text-[0.87rem] text-quiet md:flex">
              next <Key>J</Key> previous <Key>K</Key>
            </span>
          </>
        }
      />
      {shown.length === 0 && !id ? (
        <Empty title="Nothing waits for anybody">When a workflow or an agent may not go on alone, it asks here.</Empty>
      ) : (
        <div className="flex min-h-0 flex-1 flex-col lg:flex-row">
          <ul
            aria-label="Waiting"
            className="shrink-0 overflow-y-auto border-line p-2.5 max-lg:border-b lg:w-58 lg:border-r"
          >
            {shown.map((r) => (
              <li key={r.id}>
                <Link
                  to={`/reviews/${r.id}`}
                  aria-current={r.id === open?.id}
                  className={`block rounded-md border px-2.5 py-2 no-underline ${r.id === open?.id ? 'border-line bg-raised' : 'border-transparent hover:bg-raised'}`}
                >
                  {r.title}
                  {r.about && <span className="block truncate text-[0.93rem]">“{r.about}”</span>}
                  <span className="block text-[0.84rem] text-quiet">
                    {r.from} · {r.yours ? `asked ${ago(r.asked)} ago` : `for ${audience(r.ask)}`}
                  </span>
                </Link>
              </li>
            ))}
            {shown.length === 0 && <li className="px-2.5 py-2 text-quiet">Nothing else waits.</li>}
          </ul>
          {one.error && <Trouble error={one.error} />}
          {open && <Sheet key={open.id} review={open} />}
        </div>
      )}
    </div>
  )
}
