import { useDraftState, useForm } from '../script/use-draft'

const networks: [string, string, string][] = [
  [
    'loopback',
    'It may reach this machine',
    'What listens here for this machine alone is often open to whoever gets in: tick it for what is meant.',
  ],
  ['private', 'It may reach the network this machine is in', 'Such as a server in the office (10.…, 192.168.…).'],
]

/** Reach are the networks a connection may reach that are not public, each a tick with its reason. */
export function Reach() {
  const { draft } = useForm()
  const { tree } = useDraftState(draft)
  const given = ((tree as { networks?: string[] } | undefined)?.networks ?? []) as string[]
  const turn = (name: string, on: boolean) => {
    const next = on ? [...given, name] : given.filter((n) => n !== name)
    void draft.set(['networks'], next.length ? next : undefined)
  }
  return (
    <fieldset className="py-1.5">
      <legend className="sr-only">What it may reach</legend>
      {networks.map(([name, words, why]) => (
        <label key={name} className="flex items-start gap-2 py-0.5">
          <input
            type="checkbox"
            checked={given.includes(name)}
            onChange={(e) => turn(name, e.target.checked)}
            className="mt-1 size-4 accent-indigo"
          />
          <span>
            {words} <span className="block text-[0.84rem] text-quiet">{why}</span>
          </span>
        </label>
      ))}
    </fieldset>
  )
}
