import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { call } from '../api'
import { Copy } from '../parts/copy'
import { SecretInput } from '../parts/secret-input'
import { Button } from '../parts/states'
import { FieldRow } from '../script/field-row'
import { More } from '../script/more'
import { useForm } from '../script/use-draft'
import { Called } from './connection-form'
import { Consequences } from './consequences'
import type { FileDraft } from './file-draft'
import { Laid } from './laid'
import { useFileState } from './use-file'

/** KeyForm makes a signing key: its secret is made here and shown once, or is the one the sender gave. */
export function KeyForm({ file, fresh, onMade }: { file: FileDraft; fresh: boolean; onMade: (id: string) => void }) {
  const { language } = useForm()
  const s = useFileState(file)
  const [given, setGiven] = useState<string>()
  const fields = language.protocols.find((k) => k.name === 'signing_key')?.fields ?? []
  const keep = useMutation({
    mutationFn: async () => {
      await file.keep(given)
      return given ? '' : (await call<{ secret: string }>('POST', `/connections/${file.id}/new-key`)).secret
    },
  })
  if (keep.data) return <Once secret={keep.data} onDone={() => onMade(file.id)} />
  if (keep.isSuccess) return <Kept onDone={() => onMade(file.id)} />
  const wrong = s.problems.some((p) => p.severity === 'wrong')
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        keep.mutate()
      }}
    >
      <Called file={file} fresh={fresh} autoFocus={!file.id} />
      <FieldRow field={fields[0]} place="/signing_key/scheme" />
      <More title="More it can say">
        {fields.slice(1).map((f) => (
          <FieldRow key={f.name} field={f} place={`/signing_key/${f.name}`} />
        ))}
      </More>
      <Laid name="Its secret" help="Whoever sends signs with it.">
        <label className="flex items-center gap-2 py-1">
          <input type="radio" name="secret" checked={given === undefined} onChange={() => setGiven(undefined)} />
          is made here, and shown once
        </label>
        <label className="flex items-center gap-2 py-1">
          <input type="radio" name="secret" checked={given !== undefined} onChange={() => setGiven('')} />
          is the one the sender gave
        </label>
        {given !== undefined && <SecretInput value={given} autoFocus onChange={setGiven} />}
      </Laid>
      <Consequences used={s.meant?.used_by ?? []} error={keep.error} />
      <Button
        strong
        type="submit"
        autoFocus={!!file.id}
        className="mt-3"
        disabled={!file.id || wrong || given === '' || keep.isPending}
      >
        {given === undefined ? 'Make the key' : 'Keep the key'}
      </Button>
    </form>
  )
}

/** Once shows a secret that is never shown again. */
function Once({ secret, onDone }: { secret: string; onDone: () => void }) {
  return (
    <div role="status">
      <p>Give this to whoever sends. It is shown this once; what is kept here is sealed.</p>
      <p className="my-2 flex items-center gap-2">
        <code className="min-w-0 flex-1 overflow-x-auto rounded border border-line bg-paper px-2 py-1.5 font-mono text-[0.9rem]">
          {secret}
        </code>
        <Copy text={secret} what="the secret" />
      </p>
      <Button strong autoFocus onClick={onDone}>
        Use it
      </Button>
    </div>
  )
}

function Kept({ onDone }: { onDone: () => void }) {
  return (
    <div role="status">
      <p>The key is kept, sealed. Whether the sender has the same shows with its first delivery.</p>
      <Button strong autoFocus className="mt-2" onClick={onDone}>
        Use it
      </Button>
    </div>
  )
}
