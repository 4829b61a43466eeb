import { Plus, X } from 'lucide-react'
import { use } from 'react'
import { Choose } from '../choose'
import { useForm } from '../use-draft'
import { GoingContext, useGoing } from './focus'
import { isCondition, replaced, row, type Comparison, type Form } from './forms'
import { Operand, type NodeProps } from './operand'
import { Signs } from './signs'

/** Condition is built as rows: all or any of them hold, and groups of rows within. */
export function Condition(p: NodeProps) {
  const { form } = p
  if (form.is === 'all' || form.is === 'any') return <Rows {...p} />
  if (form.is === 'not')
    return (
      <div className="flex items-start gap-2">
        <span className="pt-1.5 text-quiet">not</span>
        <Inner {...p} i={0} />
      </div>
    )
  return (
    <div>
      {form.is === 'compare' ? <Row {...p} /> : <Operand {...p} />}
      <AddRow onAdd={() => p.onChange({ is: 'all', of: [form, row(p.items[0]?.name)] })} />
    </div>
  )
}

function Rows(p: NodeProps) {
  const { form, onChange } = p
  const of = form.of ?? []
  const without = (i: number) => {
    const rest = of.filter((_, n) => n !== i)
    onChange(rest.length === 1 ? rest[0] : { ...form, of: rest })
  }
  return (
    <fieldset className="space-y-1.5">
      <legend className="mb-1 text-[0.87rem] text-quiet">
        when{' '}
        <select
          aria-label="How many of these hold"
          value={form.is}
          onChange={(e) => onChange({ ...form, is: e.target.value })}
          className="rounded border border-line bg-paper px-1 py-0.5 font-semibold text-indigo"
        >
          <option value="all">all</option>
          <option value="any">any</option>
        </select>{' '}
        of these hold
      </legend>
      {of.map((_, i) => (
        <div key={i} className="flex items-start gap-1">
          <div className={`min-w-0 flex-1 ${isGroup(of[i]) ? 'border-l-2 border-line pl-3' : ''}`}>
            <Inner {...p} i={i} bare />
          </div>
          <button
            type="button"
            aria-label={`Remove row ${i + 1}`}
            onClick={() => without(i)}
            className="p-1.5 text-quiet"
          >
            <X className="size-4" aria-hidden="true" />
          </button>
        </div>
      ))}
      <span className="flex gap-4">
        <AddRow onAdd={() => onChange({ ...form, of: [...of, row(p.items[0]?.name)] })} />
        <AddRow
          words="a group"
          onAdd={() =>
            onChange({ ...form, of: [...of, { is: form.is === 'all' ? 'any' : 'all', of: [row(), row()] }] })
          }
        />
      </span>
    </fieldset>
  )
}

const isGroup = (f: Form) => f.is === 'all' || f.is === 'any'

/** Inner is one of the conditions a condition is made of. */
function Inner(p: NodeProps & { i: number; bare?: boolean }) {
  const inner = p.form.of![p.i]
  const props = {
    ...p,
    form: inner,
    at: `${p.at}/of/${p.i}`,
    label: `${p.label}, row ${p.i + 1}`,
    onChange: (f: Form) => p.onChange(replaced(p.form, p.i, f)),
  }
  if (inner.is === 'compare' && p.bare) return <Row {...props} />
  return isCondition(inner) ? <Condition {...props} /> : <Operand {...props} />
}

function AddRow({ onAdd, words = 'another' }: { onAdd: () => void; words?: string }) {
  return (
    <button type="button" onClick={onAdd} className="mt-1 text-[0.9rem] text-indigo">
      <Plus className="inline size-3.5" aria-hidden="true" /> {words}
    </button>
  )
}

/** Row is a value, what is said of it, and with what it is compared. */
function Row(p: NodeProps) {
  const { language } = useForm()
  const { form, parts, at, onChange } = p
  const [left, right] = form.of ?? []
  const going = use(GoingContext)
  const says = useGoing<HTMLInputElement>(`${at} says`)
  const kind = parts[`${at}/of/0`]?.kind ?? ''
  const now = language.comparisons.find((c) => c.name === form.name)
  const choose = (name: string) => {
    const next = language.comparisons.find((c) => c.name === name)
    const list = name === 'one_of' || name === 'none_of'
    going.go(`${at}/of/1`)
    const with_ = next?.alone ? [] : [listed(list, right)]
    onChange({ ...form, name, of: [left, ...with_] })
  }
  const held = parts[at]
  return (
    <div className="flex flex-wrap items-start gap-2">
      <div className="min-w-44 flex-1 pt-0.5">
        <Signs form={left} at={`${at}/of/0`} onChange={(f) => onChange(replaced(form, 0, f))}>
          <Operand
            {...p}
            opens
            next={`${at} says`}
            form={left}
            at={`${at}/of/0`}
            label={`${p.label}: value`}
            onChange={(f) => onChange(replaced(form, 0, f))}
          />
        </Signs>
      </div>
      <div className="w-40">
        <Choose
          label={`${p.label}: what is said of it`}
          input={says}
          value={form.name ?? 'is'}
          options={language.comparisons
            .filter((c) => c === now || suits(c, kind))
            .map((c) => ({ value: c.name, title: c.words }))}
          onChoose={choose}
        />
      </div>
      {!now?.alone && right && (
        <div className="min-w-36 flex-1">
          <Operand
            {...p}
            autoFocus={false}
            form={right}
            at={`${at}/of/1`}
            label={`${p.label}: compared with`}
            like={kind}
            onChange={(f) => onChange(replaced(form, 1, f))}
          />
        </div>
      )}
      {held?.there && (
        <span className={`pt-1.5 text-[0.87rem] ${held.gives === true ? 'text-lichen' : 'text-quiet'}`}>
          {held.gives === true ? 'yes' : 'no'}
        </span>
      )}
    </div>
  )
}

const listed = (list: boolean, right?: Form): Form => {
  const one = right ?? { is: 'literal', value: '' }
  if (list) return one.is === 'list' || one.is === 'value' ? one : { is: 'list', of: [one] }
  return one.is === 'list' ? (one.of?.[0] ?? { is: 'literal', value: '' }) : one
}

/** suits tells whether something can be said of a kind of value. */
const suits = (c: Comparison, kind: string) =>
  !c.of || !kind || c.of === kind || (c.of === 'number' && (kind === 'time' || kind === 'text'))
