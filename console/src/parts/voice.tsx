import type { Message } from '../api'

/** voiceOf is the agent whose words a message is: its name, and a sign that stands beside them. */
export function voiceOf(m: Message): { name: string; picture?: string } | undefined {
  const as = (m.rich as { as?: { name: string; picture?: string } } | undefined)?.as
  return as && { name: as.name, picture: as.picture }
}

/** Sign is an agent's picture: what its file says, or the first letters of its name. */
export function Sign({ name, picture }: { name: string; picture?: string }) {
  const letters = name
    .split(/\s+/)
    .map((w) => w[0] ?? '')
    .slice(0, 2)
    .join('')
  return (
    <span
      aria-hidden="true"
      className="inline-grid h-6 min-w-6 shrink-0 place-items-center rounded-full border border-line bg-raised px-1 text-[0.75rem] font-semibold text-walnut"
    >
      {picture || letters.toUpperCase()}
    </span>
  )
}

/** Speaker says above a message who speaks. */
export function Speaker({ m }: { m: Message }) {
  const voice = voiceOf(m)
  if (!voice) return null
  return (
    <p className="mb-1 flex items-center gap-1.5 text-[0.87rem] font-semibold">
      <Sign {...voice} />
      {voice.name}
    </p>
  )
}
