import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { call, type Description } from '../api'
import { count } from '../words'
import { Button } from '../parts/states'
import { Laid } from './laid'

type From = { address: string; networks: string[] } | { text: string }

/** Describe takes the description of an HTTP API: fetched from its address, pasted, or dropped as a file. */
export function Describe({ onTaken }: { onTaken: (d: Description, near: boolean) => void }) {
  const [address, setAddress] = useState('')
  const [here, setHere] = useState(false)
  const [pasting, paste] = useState(false)
  const take = useMutation({
    mutationFn: (from: From) => call<Description>('POST', '/descriptions', from),
    onSuccess: (d) => onTaken(d, here),
  })
  const fetchIt = () => take.mutate({ address: address.trim(), networks: here ? ['loopback', 'private'] : [] })
  const drop = async (e: React.DragEvent) => {
    e.preventDefault()
    const file = e.dataTransfer.files[0]
    if (file) take.mutate({ text: await file.text() })
  }
  const d = take.data
  return (
    <Laid name="Description" help="What the API says of itself (OpenAPI 3): its address, a file, or the text.">
      <div onDragOver={(e) => e.preventDefault()} onDrop={(e) => void drop(e)}>
        <div className="flex gap-2">
          <input
            autoFocus
            aria-label="Address of its description"
            placeholder="https://register.example/openapi.json, or drop the file here"
            value={address}
            onChange={(e) => setAddress(e.target.value)}
            onKeyDown={(e) => {
              if (e.key !== 'Enter') return
              e.preventDefault() // the form around it is not meant
              fetchIt()
            }}
            className="min-w-0 flex-1 rounded-md border border-line bg-paper px-2.5 py-1.5"
          />
          <Button disabled={!address.trim() || take.isPending} onClick={fetchIt}>
            {take.isPending ? <span className="breathe">Reading…</span> : 'Fetch'}
          </Button>
        </div>
        <p className="mt-1 flex flex-wrap items-center gap-x-4 text-[0.9rem]">
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={here}
              onChange={(e) => setHere(e.target.checked)}
              className="size-4 accent-indigo"
            />
            it is on this machine or its network
          </label>
          <button type="button" onClick={() => paste(!pasting)} className="text-indigo">
            Paste it instead
          </button>
        </p>
        {pasting && (
          <textarea
            aria-label="The description"
            rows={5}
            onChange={(e) => e.target.value.trim() && take.mutate({ text: e.target.value })}
            className="mt-1 w-full rounded-md border border-line bg-paper p-2 font-mono text-[0.84rem]"
          />
        )}
        {take.error && (
          <p role="alert" className="mt-1 text-madder">
            {take.error.message}
          </p>
        )}
        {d && (
          <p role="status" className="mt-1">
            <b>{d.title || 'It'}</b> offers {count(d.operations.length, 'tool')}.
          </p>
        )}
      </div>
    </Laid>
  )
}
