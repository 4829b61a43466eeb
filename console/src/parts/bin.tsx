import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { call, type Binned } from '../api'
import { when } from '../words'

/** Bin lists the workflows that were deleted, to be taken back. */
export function Bin() {
  const client = useQueryClient()
  const bin = useQuery({ queryKey: ['bin'], queryFn: () => call<Binned[]>('GET', '/bin') })
  const back = useMutation({
    mutationFn: (n: number) => call('POST', `/bin/${n}/take-back`),
    onSettled: () => void client.invalidateQueries(),
  })
  const gone = (bin.data ?? []).filter((b) => b.path.startsWith('workflows/')).slice(0, 20)
  if (gone.length === 0) return null
  return (
    <details className="px-4 py-4 md:px-6">
      <summary className="cursor-pointer text-quiet">Deleted lately ({gone.length})</summary>
      <ul className="mt-2 space-y-1">
        {gone.map((b) => (
          <li key={b.n} className="flex flex-wrap items-center gap-3">
            <span>{b.path.replace(/^workflows\/(.*)\.yaml$/, '$1')}</span>
            <span className="text-[0.87rem] text-quiet">
              {b.by}, {when(b.at)}
            </span>
            <button type="button" onClick={() => back.mutate(b.n)} className="text-indigo underline underline-offset-2">
              Take it back
            </button>
          </li>
        ))}
      </ul>
      {back.error && (
        <p role="alert" className="text-madder">
          {back.error.message}
        </p>
      )}
    </details>
  )
}
