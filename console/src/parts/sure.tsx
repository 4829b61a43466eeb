import { useMutation, useQueryClient } from '@tanstack/react-query'
import { call } from '../api'
import { Button } from './states'

/** Sure asks once more before something is taken away: what that means, and the deed's word. */
export function Sure({ path, means, word, leave }: { path: string; means: string; word: string; leave: () => void }) {
  const client = useQueryClient()
  const take = useMutation({
    mutationFn: () => call('DELETE', path),
    onSettled: () => void client.invalidateQueries(),
  })
  return (
    <span className="mt-1 flex flex-wrap items-center gap-2">
      {means}
      <Button strong disabled={take.isPending} onClick={() => take.mutate()}>
        {word}
      </Button>
      <Button onClick={leave}>Leave it</Button>
      {take.error && (
        <span role="alert" className="text-madder">
          {take.error.message}
        </span>
      )}
    </span>
  )
}
