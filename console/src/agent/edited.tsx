import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import { FileDraft } from '../making/file-draft'
import { useFileState } from '../making/use-file'
import { Button } from '../parts/states'
import { FieldRow } from '../script/field-row'
import { useForm } from '../script/use-draft'
import { count, money, plain } from '../words'
import { CompanyPicture } from './company-picture'
import { sections, stops, type AgentFile } from './file'
import { Kit, KitEditor } from './kit'
import { whom } from './file'
import { Part } from './part'

/** Edited is an agent, a line for each thing that makes it, edited in place. */
export function Edited({ file, may }: { file: FileDraft; may: boolean }) {
  const s = useFileState(file)
  const { language, names } = useForm()
  const a = (s.tree ?? {}) as AgentFile
  const fields = language.files.find((f) => f.name === 'agent')?.fields ?? []
  const editor = (...wanted: string[]) =>
    may &&
    fields.filter((f) => wanted.includes(f.name)).map((f) => <FieldRow key={f.name} field={f} place={`/${f.name}`} />)
  const about = names.find((n) => n.holds === 'model' && n.name === a.model)?.about
  const limits = fields.find((f) => f.name === 'limits')?.fields ?? []
  const usual = Object.fromEntries(limits.filter((f) => f.default).map((f) => [f.name, f.default!]))
  const facts = a.memory?.facts ?? []
  return (
    <div className="px-4 pb-8 md:px-6">
      <Part name="Thinks with" editor={editor('model')}>
        <span className="font-semibold">{a.model}</span> <span className="text-quiet">{about}</span>
      </Part>
      <Part name="Is told" editor={editor('title', 'picture', 'purpose', 'instructions', 'off')}>
        {sections(a.instructions ?? '').map((x) => (
          <span key={x.heading} className="mr-3 inline-block">
            <span className="font-semibold">{x.heading}</span>{' '}
            <span className="text-quiet">{count(x.lines, 'line')}</span>
          </span>
        ))}
      </Part>
      <Part name="May use" editor={may && <KitEditor />}>
        <Kit />
      </Part>
      <Part name="Has for company" editor={editor('helpers', 'hand_offs')}>
        <CompanyPicture of={a} />
      </Part>
      <Part name="Plans" editor={editor('plan')}>
        {!a.plan && <span className="text-quiet">nothing: it acts as it goes</span>}
        {a.plan === 'shown' && 'says what it is going to do before it changes anything'}
        {typeof a.plan === 'object' && `acts after a yes of ${whom(a.plan.ask)} to its plan`}
      </Part>
      <Part name="Is given" editor={editor('inputs')}>
        {propertiesOf(a.inputs) || <span className="text-quiet">its task in words, and nothing beside it</span>}
      </Part>
      <Part name="Answers" editor={editor('answer')}>
        {propertiesOf(a.answer) || <span className="text-quiet">in words</span>}
      </Part>
      <Part name="Remembers" editor={editor('memory')}>
        {a.memory?.keep?.turns ?? 20} exchanges of a conversation
        {facts.length > 0 && (
          <>
            , and{' '}
            <Link to="/facts" className="underline underline-offset-2">
              what is known
            </Link>{' '}
            of the {facts.join(' and the ')}
          </>
        )}
      </Part>
      <Part name="Stops at" editor={editor('limits')}>
        {stops(a.limits ?? {}, usual, money).join(' · ')}
      </Part>
      <Said file={file} />
      {may && s.text !== file.from && <Keep file={file} />}
    </div>
  )
}

const propertiesOf = (schema?: { properties?: Record<string, unknown> }) =>
  Object.keys(schema?.properties ?? {})
    .map(plain)
    .join(', ')

/** Said is what the checker says of the agent, and of its tools together. */
function Said({ file }: { file: FileDraft }) {
  const { problems, meant } = useFileState(file)
  const own = problems.filter((p) => p.file === meant?.path)
  if (own.length === 0) return null
  return (
    <ul aria-label="What the checker says" className="mt-3 space-y-2">
      {own.map((p, i) => (
        <li
          key={i}
          className={`rounded-md border-l-4 px-3 py-1.5 ${p.severity === 'wrong' ? 'border-madder bg-raised' : 'border-weld bg-weld-wash'}`}
        >
          {p.what}
          {p.why && <span className="text-quiet">: {p.why}</span>}
          {p.remedy && <span className="block text-[0.9rem]">{p.remedy}</span>}
        </li>
      ))}
    </ul>
  )
}

/** Keep writes what was changed: tasks and drafts follow at once. */
function Keep({ file }: { file: FileDraft }) {
  const s = useFileState(file)
  const client = useQueryClient()
  const keep = useMutation({ mutationFn: () => file.keep(), onSuccess: () => client.invalidateQueries() })
  const used = s.meant?.used_by ?? []
  const wrong = s.problems.some((p) => p.severity === 'wrong')
  return (
    <div className="sticky bottom-0 mt-4 flex flex-wrap items-center gap-3 border-t border-line bg-paper py-3">
      <Button strong disabled={wrong || keep.isPending} onClick={() => keep.mutate()}>
        Change it
      </Button>
      <Button onClick={() => file.write(file.from)}>Take it back</Button>
      <span className="min-w-0 flex-1 text-[0.9rem] text-quiet">
        Its own tasks and drafts follow at once
        {used.length > 0 && `; what is live of ${used.map(plain).join(', ')} follows once that is made live again`}.
      </span>
      {keep.error && (
        <p role="alert" className="w-full text-madder">
          {keep.error.message}
        </p>
      )}
    </div>
  )
}
