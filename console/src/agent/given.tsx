import { plain } from '../words'

interface Shape {
  properties?: Record<string, { type?: string; enum?: unknown[] }>
  required?: string[]
}

/** Given is what an agent is given beside its task, a field for each. */
export function Given(p: {
  schema: object
  values: Record<string, string>
  onChange: (v: Record<string, string>) => void
}) {
  const { properties = {}, required = [] } = p.schema as Shape
  return (
    <fieldset className="grid grid-cols-2 gap-x-3 gap-y-1 border-b border-line px-4 py-2">
      <legend className="sr-only">What it is given</legend>
      {Object.keys(properties).map((name) => (
        <label key={name} className="min-w-0 text-[0.87rem] text-quiet">
          {plain(name)}
          {required.includes(name) && ' (needed)'}
          <input
            value={p.values[name] ?? ''}
            onChange={(e) => p.onChange({ ...p.values, [name]: e.target.value })}
            className="w-full rounded-md border border-line bg-paper px-2 py-1 text-ink"
          />
        </label>
      ))}
    </fieldset>
  )
}

/** inputsOf reads what was typed as the schema has it; what is empty is not given. */
export function inputsOf(schema: object, values: Record<string, string>): Record<string, unknown> {
  const { properties = {} } = schema as Shape
  const read = (name: string, text: string) => {
    const type = properties[name]?.type
    if ((type === 'number' || type === 'integer') && !Number.isNaN(Number(text))) return Number(text)
    if (type === 'boolean') return text === 'yes' || text === 'true'
    return text
  }
  return Object.fromEntries(Object.entries(values).flatMap(([k, v]) => (v === '' ? [] : [[k, read(k, v)]])))
}
