import type { Workflow } from '../api'

/** LiveState says in words whether a workflow is live, and whether its draft differs. */
export function LiveState({ of }: { of: Pick<Workflow, 'version' | 'on' | 'drafted'> }) {
  const [word, colour] = !of.version
    ? ['draft, never live', 'text-weld']
    : of.on
      ? [`live, version ${of.version}`, 'text-lichen']
      : [`off, version ${of.version}`, 'text-walnut']
  return (
    <span className="text-[0.87rem]">
      <span className={colour}>{word}</span>
      {of.version > 0 && of.drafted && <span className="text-weld"> · the draft differs</span>}
    </span>
  )
}
