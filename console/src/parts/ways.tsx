import { Tabs } from 'radix-ui'
import { Link } from 'react-router'

/** ToAll leads back to the list of workflows. */
export function ToAll() {
  return (
    <Link to="/workflows" className="no-underline hover:underline">
      Workflows
    </Link>
  )
}

/** Ways are the tabs of a script. */
export function Ways({ of }: { of: string[] }) {
  return (
    <Tabs.List aria-label="Ways of seeing it" className="mt-2 -mb-3 flex gap-5">
      {of.map((t) => (
        <Way key={t} value={t} words={t} />
      ))}
    </Tabs.List>
  )
}

/** Way is one of several tabs. */
export function Way({ value, words }: { value: string; words: string }) {
  return (
    <Tabs.Trigger
      value={value}
      className="border-b-2 border-transparent pb-1.5 text-quiet data-[state=active]:border-indigo data-[state=active]:font-semibold data-[state=active]:text-ink"
    >
      <span className="block first-letter:uppercase">{words}</span>
    </Tabs.Trigger>
  )
}
