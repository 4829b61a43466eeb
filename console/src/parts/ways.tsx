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
        <Tabs.Trigger
          key={t}
          value={t}
          className="border-b-2 border-transparent pb-2 text-quiet capitalize data-[state=active]:border-indigo data-[state=active]:font-semibold data-[state=active]:text-ink"
        >
          {t}
        </Tabs.Trigger>
      ))}
    </Tabs.List>
  )
}
