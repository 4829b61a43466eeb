import type { Problem } from '../api'
import { fixed } from './marks'
import { useBuild } from './use-draft'

/** ProblemNote is what the checker found, with the remedy as a button where there is one. */
export function ProblemNote({ problem: p }: { problem: Problem }) {
  const { draft } = useBuild()
  const wrong = p.severity === 'wrong'
  const fix = () => {
    if (p.fix) void draft.act({ do: 'write', ...fixed(draft.get().text, p.fix), text: p.fix.text })
  }
  return (
    <p className={`my-0.5 ml-2 border-l-2 pl-2.5 text-[0.9rem] ${wrong ? 'border-madder' : 'border-weld'}`}>
      <span className={wrong ? 'text-madder' : 'text-weld'}>{wrong ? 'To put right: ' : 'Worth knowing: '}</span>
      {p.what}.{p.remedy && <span className="text-quiet"> To do: {p.remedy}.</span>}{' '}
      {p.fix && (
        <button type="button" onClick={fix} className="font-semibold text-indigo underline underline-offset-2">
          {p.fix.text.trim() ? `Write ${p.fix.text.trim().slice(0, 60)}` : 'Take it out'}
        </button>
      )}
    </p>
  )
}
