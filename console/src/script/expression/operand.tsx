import { X } from 'lucide-react'
import { gist } from '../../words'
import { useForm } from '../use-draft'
import { Condition } from './condition'
import { isCondition, replaced, type Form, type Link, type Parts } from './forms'
import { Literal } from './literal'
import { More } from './more'
import { ValueChip } from './value-chip'

/** Item is one item of a list that is gone through, and what it was for the first. */
export interface Item {
  name: string
  shape?: unknown
  value?: unknown
}

export interface NodeProps {
  form: Form
  at: string // its pointer in the form, as parts are named
  parts: Parts
  items: Item[] // innermost first
  place: string // of the field in the file
  label: string
  autoFocus?: boolean
  like?: string // the kind of value it is compared with
  opens?: boolean // it is a value most likely: those there are are shown as it appears
  next?: string // where the focus goes once a value is chosen; nothing stays
  onChange: (form: Form) => void
}

/** Operand is a value: one that is read, one that stands there, or what is made of others. */
export function Operand(p: NodeProps) {
  const { form, onChange } = p
  const part = (i: number, label: string): NodeProps => ({
    ...p,
    autoFocus: false,
    opens: false,
    next: undefined,
    form: form.of![i],
    at: `${p.at}/of/${i}`,
    label: `${p.label}, ${label}`,
    onChange: (f) => onChange(replaced(form, i, f)),
  })
  switch (form.is) {
    case 'value':
      return (
        <span className="inline-flex flex-wrap items-center gap-1">
          <ValueChip {...p} />
          <More {...p} />
          <Gave {...p} />
        </span>
      )
    case 'literal':
      return (
        <span className="flex items-center gap-1">
          <Literal {...p} />
          <More {...p} />
        </span>
      )
    case 'link':
      return <ChainLink {...p} part={part} />
    case 'reckon':
      return (
        <span className="inline-flex flex-wrap items-center gap-1">
          {weaker(form.of![0], form) ? <Bracketed {...part(0, 'first')} /> : <Operand {...part(0, 'first')} />}
          <Sign sign={form.name ?? '+'} onChange={(name) => onChange({ ...form, name })} />
          <Bracketed {...part(1, 'second')} />
          <More {...p} />
          <Gave {...p} />
        </span>
      )
    case 'choose':
      return (
        <span className="block space-y-1 rounded border border-line p-2">
          <span className="text-quiet">if</span>
          <AnyForm {...part(0, 'if')} />
          <span className="text-quiet">then</span> <Operand {...part(1, 'then')} />
          <span className="text-quiet">else</span> <Operand {...part(2, 'else')} />
          <More {...p} />
        </span>
      )
    case 'list':
    case 'map':
      return <Several {...p} part={part} />
    case 'code':
      return <Code {...p} />
  }
  return <Condition {...p} />
}

/** AnyForm is a condition as rows, and anything else as a value. */
export function AnyForm(p: NodeProps) {
  return isCondition(p.form) ? <Condition {...p} /> : <Operand {...p} />
}

/** weaker tells a sum within a product, which needs its brackets. */
const weaker = (inner: Form, outer: Form) =>
  inner.is === 'reckon' && /^[+-]$/.test(inner.name ?? '') && !/^[+-]$/.test(outer.name ?? '')

function Bracketed(p: NodeProps) {
  if (p.form.is !== 'reckon') return <Operand {...p} />
  return (
    <>
      ( <Operand {...p} /> )
    </>
  )
}

/** Gave is what a part gives for the run that is shown. */
export function Gave({ at, parts }: NodeProps) {
  const part = parts[at]
  if (!part?.there) return null
  const words = gist(part.gives)
  return (
    <span className="max-w-56 truncate font-mono text-[0.8rem] text-quiet" title={words.slice(0, 2000)}>
      {words.slice(0, 120) || 'nothing'}
    </span>
  )
}

function Sign({ sign, onChange }: { sign: string; onChange: (sign: string) => void }) {
  return (
    <select
      aria-label="Sign"
      value={sign}
      onChange={(e) => onChange(e.target.value)}
      className="w-12 rounded border border-line bg-paper px-1 py-1 text-indigo"
    >
      <option value="+">+</option>
      <option value="-">−</option>
      <option value="*">×</option>
      <option value="/">÷</option>
      <option value="%">rest of ÷</option>
    </select>
  )
}

/** ChainLink is a value and something that is done to it, below it. */
function ChainLink(p: NodeProps & { part: (i: number, label: string) => NodeProps }) {
  const { language } = useForm()
  const { form, part, parts, at } = p
  const link: Link | undefined = language.links.find((l) => l.name === form.name)
  const source = parts[`${at}/of/0`]
  const items: Item[] = form.as ? [itemOf(form.as, source), ...p.items] : p.items
  return (
    <span className="block">
      <Operand {...part(0, 'from')} />
      <span className="mt-1 ml-3 flex flex-wrap items-start gap-x-2 gap-y-1 border-l-2 border-line pl-2">
        <span className="pt-1 font-semibold text-indigo">{link?.words ?? form.name}</span>
        {link?.takes?.map((t, i) => {
          const inner = { ...part(i + 1, t.name), items: t.each ? items : p.items, like: t.holds }
          return t.holds === 'condition' ? <AnyForm key={t.name} {...inner} /> : <Operand key={t.name} {...inner} />
        })}
        <span className="pt-1">
          <Gave {...p} />
        </span>
        <button
          type="button"
          aria-label={`Take “${link?.words}” out`}
          onClick={() => p.onChange(form.of![0])}
          className="p-1 text-quiet"
        >
          <X className="size-3.5" aria-hidden="true" />
        </button>
        <More {...p} />
      </span>
    </span>
  )
}

const itemOf = (name: string, source?: Parts['']): Item => ({
  name,
  shape: (source?.shape as { items?: unknown } | undefined)?.items,
  value: Array.isArray(source?.gives) ? (source.gives as unknown[])[0] : undefined,
})

/** Several are the items of a list, or the names and values of a map. */
function Several(p: NodeProps & { part: (i: number, label: string) => NodeProps }) {
  const { form, onChange, part } = p
  const of = form.of ?? []
  const without = (i: number) =>
    onChange({ ...form, of: of.filter((_, n) => n !== i), keys: form.keys?.filter((_, n) => n !== i) })
  const add = () =>
    onChange({
      ...form,
      of: [...of, { is: 'literal', value: '' }],
      keys: form.is === 'map' ? [...(form.keys ?? []), `value_${of.length + 1}`] : undefined,
    })
  return (
    <span className="block space-y-1">
      {of.map((_, i) => (
        <span key={i} className="flex items-center gap-1.5">
          {form.is === 'map' && (
            <input
              aria-label={`Name ${i + 1}`}
              value={form.keys![i]}
              onChange={(e) => onChange({ ...form, keys: form.keys!.map((k, n) => (n === i ? e.target.value : k)) })}
              className="w-32 rounded-md border border-line bg-paper px-2 py-1"
            />
          )}
          <Operand {...part(i, String(i + 1))} />
          <button type="button" aria-label={`Remove ${i + 1}`} onClick={() => without(i)} className="p-1 text-quiet">
            <X className="size-3.5" aria-hidden="true" />
          </button>
        </span>
      ))}
      <button type="button" onClick={add} className="text-[0.9rem] text-indigo">
        + one more
      </button>
    </span>
  )
}

function Code({ form, label, onChange }: NodeProps) {
  return (
    <input
      aria-label={`${label}, as code`}
      value={form.text ?? ''}
      onChange={(e) => onChange({ ...form, text: e.target.value })}
      className="w-full rounded-md border border-line bg-paper px-2 py-1 font-mono text-[0.87rem]"
    />
  )
}
