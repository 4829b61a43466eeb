import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { call, type Sample, type Script } from '../../api'
import { Copy } from '../../parts/copy'
import { Button } from '../../parts/states'
import { useBuild, useDraftState } from '../use-draft'
import { hooksIn } from './hooks'

interface Shown {
  script: Script
  samples: Sample[]
  onCame: (name: string) => void
}

/** Next waits for the next signal that comes, and keeps it as a sample. */
export function Next({ script, samples, onCame }: Shown) {
  const { draft } = useBuild()
  const { tree } = useDraftState(draft)
  const client = useQueryClient()
  const [name, setName] = useState(() => unused(samples))
  const wait = useMutation({
    mutationFn: async () => {
      await draft.save()
      await call('PUT', `/workflows/${encodeURIComponent(script.id)}/samples/${name}`, { next: true })
    },
  })
  const came = wait.isSuccess && samples.some((s) => s.name === name)
  useEffect(() => {
    if (came) onCame(name)
  }, [came, name, onCame])
  useEffect(() => {
    if (!wait.isSuccess || came) return
    const look = window.setInterval(() => void client.invalidateQueries({ queryKey: ['samples', script.id] }), 1000)
    return () => window.clearInterval(look)
  }, [wait.isSuccess, came, client, script.id])
  const path = hooksIn(tree).find((h) => h.path)?.path
  const address = path && `${window.location.origin}/in/${path}${script.version > 0 ? '/draft' : ''}`
  return (
    <div className="mt-2 space-y-2 rounded-md border border-line p-2.5">
      {address && (
        <p className="flex items-center gap-2">
          <code className="min-w-0 flex-1 overflow-x-auto font-mono text-[0.84rem]">{address}</code>
          <Copy text={address} what="the address" />
        </p>
      )}
      <label className="block text-[0.9rem]">
        Keep it as a sample called
        <input
          value={name}
          disabled={wait.isSuccess}
          onChange={(e) => setName(e.target.value)}
          className="mt-0.5 w-full rounded-md border border-line bg-paper px-2 py-1"
        />
      </label>
      {wait.isSuccess ? (
        <p role="status" className="breathe">
          Waiting for it…
        </p>
      ) : (
        <Button disabled={!name || wait.isPending} onClick={() => wait.mutate()}>
          Wait for it
        </Button>
      )}
      <p className="text-[0.84rem] text-quiet">
        {address
          ? 'What is sent there within the hour is kept, signed or not, whatever it looks like. It starts nothing.'
          : 'The next signal that starts it is kept.'}
      </p>
      {wait.error && (
        <p role="alert" className="text-madder">
          {wait.error.message}
        </p>
      )}
    </div>
  )
}

function unused(samples: Sample[]): string {
  for (let n = 1; ; n++) if (!samples.some((s) => s.name === `came-${n}`)) return `came-${n}`
}
