import { useMutation, useQueryClient } from '@tanstack/react-query'
import { DropdownMenu, Popover } from 'radix-ui'
import { MoreHorizontal } from 'lucide-react'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { call, type Script } from '../api'
import { slug } from '../parts/new-workflow'
import { Button } from '../parts/states'
import { FieldRow } from './field-row'
import { useBuild } from './use-draft'

/** Whole changes what is said of the workflow as a whole, and makes, renames and deletes it. */
export function Whole({ script }: { script: Script }) {
  const [asking, ask] = useState<'about' | 'copy' | 'rename' | 'delete'>()
  const items: [typeof asking, string][] = [
    ['about', 'What it is called, and what it is for'],
    ['copy', 'Duplicate'],
    ['rename', 'Give it another id'],
    ['delete', 'Delete'],
  ]
  return (
    <Popover.Root open={!!asking} onOpenChange={() => ask(undefined)}>
      <Popover.Anchor asChild>
        <span>
          <DropdownMenu.Root modal={false}>
            <DropdownMenu.Trigger asChild>
              <Button aria-label="More about this workflow">
                <MoreHorizontal className="size-4" aria-hidden="true" />
              </Button>
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content
                align="end"
                className="z-30 min-w-56 rounded-md border border-line bg-raised py-1 shadow-lg"
              >
                {items.map(([what, words]) => (
                  <DropdownMenu.Item
                    key={what}
                    onSelect={() => window.setTimeout(() => ask(what))}
                    className="cursor-pointer px-3 py-1 outline-none data-highlighted:bg-wash"
                  >
                    {words}
                  </DropdownMenu.Item>
                ))}
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        </span>
      </Popover.Anchor>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          className="z-30 w-140 max-w-[94vw] rounded-lg border border-line bg-raised p-4 shadow-lg"
        >
          {asking === 'about' && <About />}
          {asking === 'copy' && <Named script={script} what="copy" />}
          {asking === 'rename' && <Named script={script} what="rename" />}
          {asking === 'delete' && <Delete script={script} />}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

const about = ['title', 'purpose', 'context', 'model', 'limits', 'inputs', 'result', 'gives']

function About() {
  const { language } = useBuild()
  const fields = language.files.find((f) => f.name === 'workflow')?.fields ?? []
  const order = fields.map((f) => f.name)
  return (
    <div className="max-h-[70vh] overflow-y-auto">
      {fields
        .filter((f) => about.includes(f.name))
        .map((f) => (
          <FieldRow key={f.name} field={f} place={`/${f.name}`} order={order} />
        ))}
    </div>
  )
}

function Named({ script, what }: { script: Script; what: 'copy' | 'rename' }) {
  const { draft } = useBuild()
  const [name, setName] = useState(what === 'copy' ? `${script.id}-2` : script.id)
  const go = useNavigate()
  const client = useQueryClient()
  const id = slug(name)
  const done = useMutation({
    mutationFn: async () => {
      await draft.save()
      if (what === 'rename') return call('POST', `/workflows/${script.id}/rename`, { to: id })
      const text = draft.get().text.replace(/^workflow:.*$/m, `workflow: ${id}`)
      return call('PUT', `/workflows/${id}/draft`, { text, from: '' })
    },
    onSuccess: async () => {
      await client.invalidateQueries()
      void go(`/workflows/${id}`)
    },
  })
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        done.mutate()
      }}
    >
      <input
        autoFocus
        aria-label="Its id"
        value={name}
        onChange={(e) => setName(e.target.value)}
        className="min-w-0 flex-1 rounded-md border border-line bg-paper px-2.5 py-1.5"
      />
      <Button strong type="submit" disabled={!id || id === script.id || done.isPending}>
        {what === 'copy' ? 'Duplicate' : 'Rename'}
      </Button>
      {what === 'rename' && (
        <p className="w-full text-[0.87rem] text-quiet">Everything that names it is changed along with it.</p>
      )}
      {done.error && (
        <p role="alert" className="w-full text-madder">
          {done.error.message}
        </p>
      )}
    </form>
  )
}

function Delete({ script }: { script: Script }) {
  const go = useNavigate()
  const client = useQueryClient()
  const gone = useMutation({
    mutationFn: () => call('DELETE', `/workflows/${script.id}`),
    onSuccess: async () => {
      void go('/workflows')
      await client.invalidateQueries()
    },
  })
  return (
    <>
      <p>
        Nothing starts {script.title} any more then; open runs finish. It can be taken back from the list of workflows.
      </p>
      <Button className="mt-3" disabled={gone.isPending} onClick={() => gone.mutate()}>
        Delete {script.title}
      </Button>
      {gone.error && (
        <p role="alert" className="text-madder">
          {gone.error.message}
        </p>
      )}
    </>
  )
}
