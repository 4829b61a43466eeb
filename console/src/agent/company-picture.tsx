import { Link } from 'react-router'
import { Sign } from '../parts/voice'
import { useForm } from '../script/use-draft'
import { plain } from '../words'
import type { AgentFile } from './file'

/** CompanyPicture draws whom an agent asks, and who may take over from it. */
export function CompanyPicture({ of }: { of: AgentFile }) {
  const helpers = (of.helpers ?? []).map((h) => (typeof h === 'string' ? { agent: h, judge: undefined } : h))
  const handOffs = of.hand_offs ?? []
  if (helpers.length + handOffs.length === 0) return <p className="text-quiet">nobody: it works alone</p>
  return (
    <ul className="space-y-1.5">
      {helpers.map((h) => (
        <Line key={`h-${h.agent}`} id={h.agent} arrow="⇄" does="asks" when={h.judge} />
      ))}
      {handOffs.map((h) => (
        <Line key={`o-${h.to}`} id={h.to} arrow="→" does="hands over to" when={h.judge} />
      ))}
    </ul>
  )
}

function Line({ id, arrow, does, when }: { id: string; arrow: string; does: string; when?: string }) {
  const { names } = useForm()
  const title = names.find((n) => n.holds === 'agent' && n.name === id)?.title ?? plain(id)
  return (
    <li className="flex flex-wrap items-center gap-x-2">
      <span aria-hidden="true" className="w-6 text-center text-lg text-woad">
        {arrow}
      </span>
      <span className="text-quiet">{does}</span>
      <Link
        to={`/agents/${id}`}
        className="inline-flex items-center gap-1.5 rounded-full border border-line bg-raised py-0.5 pr-2.5 pl-1 no-underline"
      >
        <Sign name={title} /> {title}
      </Link>
      {when && <span className="text-quiet">when: {when}</span>}
    </li>
  )
}
