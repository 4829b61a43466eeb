import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { call, type Drafted } from '../api'
import { Button } from './states'

/** slug makes an id of a title: small letters, digits and hyphens. */
export const slug = (title: string) =>
  title
    .normalize('NFKD')
    .toLowerCase()
    .replaceAll(/[^a-z0-9]+/g, '-')
    .replaceAll(/^-+|-+$/g, '')

/** NewWorkflow makes a workflow that has a title and nothing else yet. */
export function NewWorkflow() {
  const [open, setOpen] = useState(false)
  const [title, setTitle] = useState('')
  const go = useNavigate()
  const client = useQueryClient()
  const id = slug(title)
  const make = useMutation({
    mutationFn: () => {
      const text = `workflow: ${id}\ntitle: ${JSON.stringify(title.trim())}\nsteps: []\n`
      return call<Drafted>('PUT', `/workflows/${id}/draft`, { text, from: '' })
    },
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ['workflows'] })
      void go(`/workflows/${id}`)
    },
  })
  if (!open)
    return (
      <Button strong onClick={() => setOpen(true)}>
        New workflow
      </Button>
    )
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        if (id) make.mutate()
      }}
    >
      <input
        autoFocus
        aria-label="What it is called"
        placeholder="What it is called"
        value={title}
        onChange={(e) => setTitle(e.target.value)}
        onKeyDown={(e) => e.key === 'Escape' && setOpen(false)}
        className="w-64 rounded-md border border-line bg-raised px-2.5 py-1.5"
      />
      <Button strong type="submit" disabled={!id || make.isPending}>
        Make it
      </Button>
      {make.error && (
        <span role="alert" className="text-madder">
          {make.error.message}
        </span>
      )}
    </form>
  )
}
