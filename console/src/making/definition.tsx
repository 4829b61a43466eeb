import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { call, type Definition as Written } from '../api'
import { Button, Loading, Trouble } from '../parts/states'
import { FieldRow } from '../script/field-row'
import { needed } from '../script/fresh'
import { FormContext, useForm, type Filling } from '../script/use-draft'
import { Called, useTaken } from './connection-form'
import { Consequences } from './consequences'
import { FileDraft, type FileKind } from './file-draft'
import { Side } from './side'
import { useFile, useFileState, useKnown } from './use-file'

interface Wanted {
  kind: Exclude<FileKind, 'connection'>
  id?: string // nothing makes a new one
  title: string
  onMade: (id: string) => void
  onClose: () => void
}

/** Definition makes or changes a table, an agent, or the workspace's own file, at the side of what it is for. */
export default function Definition(p: Wanted) {
  const { known } = useKnown()
  const written = useQuery({
    queryKey: ['definition', p.kind, p.id],
    queryFn: () => call<Written>('GET', `/definitions/${p.kind}/${p.id}`),
    enabled: !!p.id,
    gcTime: 0,
  })
  const fields = known?.language.files.find((f) => f.name === p.kind)?.fields
  const blank = () => Object.entries(needed(fields ?? [])).map(([k, v]) => `${k}: ${JSON.stringify(v)}\n`)
  if (written.error) return <Trouble error={written.error} />
  const text = p.id ? written.data?.text : fields && blank().join('')
  return (
    <Side title={p.title} onClose={p.onClose}>
      {known && text !== undefined ? <Edited {...p} known={known} text={text} /> : <Loading />}
    </Side>
  )
}

function Edited(p: Wanted & { known: Omit<Filling, 'draft'>; text: string }) {
  const file = useFile(() => new FileDraft(p.kind, p.id ?? '', p.text, p.id ? p.text : ''))
  const client = useQueryClient()
  const made = async () => {
    await client.invalidateQueries()
    p.onMade(file.id)
  }
  return (
    <FormContext value={{ ...p.known, draft: file }}>
      <Fields file={file} kind={p.kind} fresh={!p.id} onMade={() => void made()} />
    </FormContext>
  )
}

function Fields({ file, kind, fresh, onMade }: { file: FileDraft; kind: string; fresh: boolean; onMade: () => void }) {
  const { language } = useForm()
  const s = useFileState(file)
  const taken = useTaken(file, fresh)
  const keep = useMutation({ mutationFn: () => file.keep(), onSuccess: onMade })
  const wrong = s.problems.filter((p) => p.severity === 'wrong')
  const fields = language.files.find((f) => f.name === kind)?.fields ?? []
  const named = kind === 'table' || kind === 'agent'
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        keep.mutate()
      }}
    >
      {named && <Called file={file} fresh={fresh} autoFocus={fresh} />}
      {fields
        .filter((f) => !named || (f.name !== kind && f.name !== 'title'))
        .map((f) => (
          <FieldRow key={f.name} field={f} place={`/${f.name}`} />
        ))}
      <ul aria-label="To put right" className="text-[0.9rem] text-quiet">
        {wrong.slice(0, 6).map((p, i) => (
          <li key={i}>
            {p.file !== s.meant?.path && `${p.file}: `}
            {p.what}
            {p.remedy && `: ${p.remedy}`}
          </li>
        ))}
      </ul>
      <Consequences used={taken ? [] : (s.meant?.used_by ?? [])} error={keep.error} />
      <Button strong type="submit" className="mt-3" disabled={!file.id || taken || wrong.length > 0 || keep.isPending}>
        {fresh ? 'Make it' : 'Change it at once'}
      </Button>
    </form>
  )
}
