import type { Field } from '../api'
import { FieldInput } from './field-input'
import { FieldBody } from './field-row'
import { titled } from './language'
import { pathOf, valueAt } from './pointer'
import { MapRows } from './rows'
import { useForm, useDraftState } from './use-draft'

interface Schema {
  type?: string | string[]
  properties?: Record<string, Schema>
  required?: string[]
  description?: string
  enum?: unknown[]
  items?: Schema
}

/** ToolArgs are the arguments of a tool: each a value, or left to a model with a hint. */
export function ToolArgs({ place }: { place: string }) {
  const { draft, tools } = useForm()
  const { tree } = useDraftState(draft)
  const step = valueAt(tree, pathOf(place)) as { tool?: string; args?: object; fill?: object } | undefined
  const tool = tools.find((t) => t.name === step?.tool)
  const input = tool?.input as Schema | undefined
  const args: Field = { name: 'args', holds: 'text', many: 'map', help: '' }
  if (!input?.properties) return <MapRows field={args} place={`${place}/args`} value={step?.args} />
  const needed = Object.keys(input.properties).filter((n) => input.required?.includes(n))
  const set = Object.keys(input.properties).filter((n) => !needed.includes(n) && has(step, n))
  const rest = Object.keys(input.properties).filter((n) => !needed.includes(n) && !set.includes(n))
  return (
    <div className="space-y-2">
      {[...needed, ...set].map((n) => (
        <Argument key={n} place={place} name={n} schema={input.properties![n]} needed={needed.includes(n)} />
      ))}
      {rest.length > 0 && (
        <p className="flex flex-wrap gap-1.5">
          {rest.map((n) => (
            <button
              key={n}
              type="button"
              title={input.properties![n].description}
              onClick={() => void draft.set([...pathOf(place), 'args', n], '')}
              className="rounded-full border border-dashed border-line px-2.5 py-0.5 text-indigo"
            >
              + {titled(n)}
            </button>
          ))}
        </p>
      )}
    </div>
  )
}

const has = (step: { args?: object; fill?: object } | undefined, name: string) =>
  (!!step?.args && name in step.args) || (!!step?.fill && name in step.fill)

const typeOf = (s: Schema) => (Array.isArray(s.type) ? s.type.find((t) => t !== 'null') : s.type)

const prose = (name: string, schema: Schema): Field => ({ name, holds: 'prose', help: schema.description ?? '' })

/** fieldOf is the field an argument is filled in with: lists and maps as rows, unless a value stands for the whole. */
function fieldOf(name: string, schema: Schema, value?: unknown): Field {
  const whole = typeof value === 'string' && value !== ''
  const field: Field = { name, holds: 'text', help: schema.description ?? '' }
  const choices = schema.enum?.map(String)
  if (choices && !String(value ?? '').includes('${')) return { ...field, holds: 'choice', choices }
  if (whole) return field
  if (typeOf(schema) === 'array') return { ...fieldOf(name, schema.items ?? {}), many: 'list' }
  if (typeOf(schema) !== 'object') return field
  if (!schema.properties) return { ...field, many: 'map' }
  const inside = Object.entries(schema.properties)
  const fields = inside.map(([n, s]) => ({ ...fieldOf(n, s), required: !!schema.required?.includes(n) }))
  return { ...field, holds: 'fields', fields }
}

/** typed is what was written as a number or yes or no, where the tool wants one. */
function typed(schema: Schema, v: unknown): unknown {
  if (typeof v !== 'string') return v
  const type = typeOf(schema)
  if ((type === 'number' || type === 'integer') && /^-?\d+(\.\d+)?$/.test(v)) return Number(v)
  if (type === 'boolean' && (v === 'true' || v === 'false')) return v === 'true'
  return v
}

function Argument({ place, name, schema, needed }: { place: string; name: string; schema: Schema; needed: boolean }) {
  const { draft } = useForm()
  const { tree } = useDraftState(draft)
  const at = pathOf(place)
  const step = valueAt(tree, at) as { args?: Record<string, unknown>; fill?: Record<string, unknown> } | undefined
  const filled = step?.fill !== undefined && name in step.fill
  const inside = filled ? 'fill' : 'args'
  const value = step?.[inside]?.[name]
  const field = filled ? prose(name, schema) : fieldOf(name, schema, value)
  const remove = (from: 'args' | 'fill') =>
    draft.set(Object.keys(step?.[from] ?? {}).length > 1 ? [...at, from, name] : [...at, from], undefined)
  const leave = async (toModel: boolean) => {
    if (value !== undefined) await remove(inside)
    await draft.set(
      [...at, toModel ? 'fill' : 'args', name],
      toModel ? (schema.description ?? 'Going by the run.') : '',
    )
  }
  return (
    <div className="grid gap-x-4 lg:grid-cols-[9.5rem_minmax(0,1fr)]">
      <div className="pt-1.5">
        {titled(name)}
        {needed && <span className="text-quiet"> (needed)</span>}
      </div>
      <div className="min-w-0">
        {field.many || field.holds === 'fields' ? (
          <FieldBody field={field} place={`${place}/${inside}/${name}`} />
        ) : (
          <FieldInput
            field={field}
            label={titled(name)}
            place={`${place}/${inside}/${name}`}
            value={value}
            onSet={(v, typing) =>
              void (v === undefined && !needed
                ? remove(inside)
                : draft.set([...at, inside, name], typed(schema, v) ?? '', undefined, typing ? 'arg' : ''))
            }
          />
        )}
        <p className="flex flex-wrap justify-between gap-x-3 text-[0.84rem] text-quiet">
          <span>{filled ? 'A model fills this in, going by what you say here.' : schema.description}</span>
          <button
            type="button"
            aria-label={filled ? `Say the value instead: ${titled(name)}` : `Leave it to a model: ${titled(name)}`}
            onClick={() => void leave(!filled)}
            className="text-indigo"
          >
            {filled ? 'Say the value instead' : 'Leave it to a model'}
          </button>
        </p>
      </div>
    </div>
  )
}
