import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Dialog } from 'radix-ui'
import { useState } from 'react'
import { call, type BeforeLive, type Script } from '../api'
import { Button, Loading } from '../parts/states'
import { Differs } from '../parts/versions'
import { count } from '../words'
import { useBuild, useDraftState } from './use-draft'

/** Publish makes the draft live: before that it tells what changes, what is untested, and whom it touches. */
export function Publish({ script }: { script: Script }) {
  const { draft } = useBuild()
  const [open, setOpen] = useState(false)
  const client = useQueryClient()
  const turn = useMutation({
    mutationFn: (on: boolean) => call('PUT', `/workflows/${script.id}/on`, { on }),
    onSettled: () => void client.invalidateQueries(),
  })
  const ask = async () => {
    await draft.save()
    await client.invalidateQueries({ queryKey: ['before-live', script.id] })
    setOpen(true)
  }
  return (
    <>
      {script.version > 0 && (
        <Button disabled={turn.isPending} onClick={() => turn.mutate(!script.on)}>
          {script.on ? 'Switch off' : 'Switch on'}
        </Button>
      )}
      <Button strong onClick={() => void ask()}>
        Make live…
      </Button>
      <Dialog.Root open={open} onOpenChange={setOpen}>
        <Dialog.Portal>
          <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/20" />
          <Dialog.Content className="fixed inset-y-0 right-0 z-50 flex w-180 max-w-full flex-col overflow-y-auto border-l border-line bg-paper p-6 shadow-xl">
            <Dialog.Title className="text-lg font-bold">Make {script.title} live</Dialog.Title>
            <Dialog.Description className="text-quiet">
              From then on what comes in starts runs of this version. Runs that are open finish on theirs.
            </Dialog.Description>
            <Sheet script={script} close={() => setOpen(false)} />
          </Dialog.Content>
        </Dialog.Portal>
      </Dialog.Root>
    </>
  )
}

function Sheet({ script, close }: { script: Script; close: () => void }) {
  const { draft } = useBuild()
  const s = useDraftState(draft)
  const client = useQueryClient()
  const [note, setNote] = useState('')
  const before = useQuery({
    queryKey: ['before-live', script.id],
    queryFn: () => call<BeforeLive>('GET', `/workflows/${script.id}/before-live`),
  })
  const publish = useMutation({
    mutationFn: () => call('POST', '/publish', { workflows: [script.id], note }),
    onSuccess: close,
    onSettled: () => void client.invalidateQueries(),
  })
  const wrong = s.problems.filter((p) => p.severity === 'wrong')
  return (
    <form
      className="mt-4 flex flex-1 flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault()
        publish.mutate()
      }}
    >
      <label className="block">
        <span className="text-quiet">What changed, in a few words</span>
        <input
          autoFocus
          value={note}
          onChange={(e) => setNote(e.target.value)}
          className="mt-0.5 w-full rounded-md border border-line bg-raised px-3 py-1.5"
        />
      </label>
      {wrong.length > 0 && (
        <section className="rounded-lg border border-madder p-3">
          <h3 className="font-semibold text-madder">{count(wrong.length, 'thing')} to put right first</h3>
          <ul className="list-disc pl-5">
            {wrong.map((p, i) => (
              <li key={i}>
                {p.what} <span className="text-quiet">(line {p.line})</span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {before.isPending ? <Loading /> : before.data && <Touches of={before.data} />}
      {script.version > 0 && wrong.length === 0 && (
        <section>
          <h3 className="font-semibold">What changes</h3>
          <Differs id={script.id} to="draft" />
        </section>
      )}
      {publish.error && (
        <p role="alert" className="text-madder">
          {publish.error.message}
        </p>
      )}
      <div className="sticky bottom-0 mt-auto flex gap-2 bg-paper py-3">
        <Button strong type="submit" disabled={publish.isPending || wrong.length > 0}>
          Make it live
        </Button>
        <Button onClick={close}>Not yet</Button>
      </div>
    </form>
  )
}

/** Touches tells what is untested, and whom making it live touches. */
function Touches({ of }: { of: BeforeLive }) {
  return (
    <section>
      <h3 className="font-semibold">Before it is live</h3>
      <ul className="list-disc pl-5">
        {of.untested.length === 0 && <li>Every step was tried since it was changed.</li>}
        {of.untested.length > 0 && (
          <li>
            Not tried since {of.untested.length === 1 ? 'it was' : 'they were'} changed:
            <ul className="pl-3 text-quiet">
              {of.untested.slice(0, 12).map((line, i) => (
                <li key={i}>{line}</li>
              ))}
              {of.untested.length > 12 && <li>and {of.untested.length - 12} more</li>}
            </ul>
          </li>
        )}
        <li>
          {of.open === 0 ? 'No run is open.' : `${count(of.open, 'run is', 'runs are')} open and finish as they began.`}
        </li>
        {of.addresses.map((a) => (
          <li key={a}>{a}</li>
        ))}
      </ul>
    </section>
  )
}
