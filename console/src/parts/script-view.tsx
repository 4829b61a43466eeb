import type { Detail, Line, Script, Step } from '../api'
import { Link } from 'react-router'
import { Badge } from './states'
import { Sentence } from './sentence'
import { railsOf, type Rail } from './rails'
import { Strand } from './strand'
import { gist, took, when } from '../words'

/** ScriptView shows a script as sentences, with what each step gave beside it. */
export function ScriptView({ script, run }: { script: Script; run?: Detail }) {
  // Items and rounds stand under the first of them.
  const did = new Map(run?.steps.toReversed().map((s) => [s.script, s]))
  const rails = railsOf(script.lines)
  return (
    <div className="px-2 py-4 md:px-5">
      {run && (
        <p className="mb-2 flex flex-wrap items-center gap-x-2 pl-7 text-[0.87rem] text-quiet">
          Values from the run of{' '}
          <Link to={`/runs/${run.id}`} className="text-indigo underline underline-offset-2">
            {when(run.accepted)}
          </Link>{' '}
          <Badge status={run.status} />
        </p>
      )}
      <ol>
        {script.lines.map((line, i) => (
          <ScriptLine
            key={line.path}
            line={line}
            step={did.get(line.path)}
            on={script.lines.slice(i + 1).some((l) => did.get(l.path)?.status)}
            first={i === 0}
            last={i === script.lines.length - 1}
            run={run}
            rails={rails[i]}
          />
        ))}
      </ol>
      <Problems script={script} />
    </div>
  )
}

function ScriptLine({
  line,
  step,
  on,
  first,
  last,
  run,
  rails,
}: {
  line: Line
  step?: Step
  on: boolean
  first: boolean
  last: boolean
  run?: Detail
  rails: Rail[]
}) {
  const gave = !run
    ? ''
    : line.kind === 'trigger' && step?.status
      ? run.about
      : step?.status
        ? step.error || gist(step.output)
        : line.kind === 'case'
          ? 'not taken'
          : ''
  return (
    <li className="flex min-h-9">
      <Strand
        status={step?.status}
        first={first}
        last={last}
        on={on}
        branch={line.kind === 'case'}
        depth={line.depth}
        rails={rails}
      />
      <div
        className={`grid min-w-0 flex-1 gap-x-4 py-1.5 ${run ? 'lg:grid-cols-[minmax(0,1.7fr)_minmax(0,1fr)_4.5rem]' : 'max-w-4xl'}`}
      >
        <p className="min-w-0" style={{ paddingLeft: `${line.depth * 1.1}rem` }}>
          {line.number && <span className="mr-2 text-[0.8rem] text-quiet">{line.number}</span>}
          <Sentence parts={line.parts} reads={line.reads} values={step?.values} />
        </p>
        {run && (
          <p
            className={`truncate border-line font-mono text-[0.84rem] lg:border-l lg:pl-3 ${step?.error ? 'text-madder' : 'text-quiet'}`}
            title={gave}
          >
            {gave}
          </p>
        )}
        <p className="text-right text-[0.84rem] text-quiet max-lg:hidden">
          {line.kind !== 'trigger' && line.kind !== 'case' && took(step?.began, step?.ended)}
        </p>
      </div>
    </li>
  )
}

function Problems({ script }: { script: Script }) {
  if (script.problems.length === 0) return null
  return (
    <section className="mt-6 ml-7 max-w-3xl">
      <h2 className="font-semibold">From the checker</h2>
      <ul className="mt-1 space-y-1.5">
        {script.problems.map((p, i) => (
          <li key={i} className="border-l-2 border-line pl-3">
            <span className={p.severity === 'wrong' ? 'text-madder' : 'text-quiet'}>
              {p.severity === 'wrong' ? 'To put right: ' : 'Worth knowing: '}
            </span>
            {p.what}
            <span className="block text-[0.87rem] text-quiet">
              {p.file}, line {p.line}
              {p.why && `. Why it matters: ${p.why}`}
              {p.remedy && `. To do: ${p.remedy}`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}

/** FileText shows a file as it is. */
export function FileText({ script }: { script: Script }) {
  return (
    <figure className="px-4 py-4 md:px-6">
      <figcaption className="mb-2 text-[0.87rem] text-quiet">{script.file}</figcaption>
      <pre
        tabIndex={0}
        className="overflow-x-auto rounded-lg border border-line bg-raised p-4 font-mono text-[0.87rem] leading-6"
      >
        {script.text.split('\n').map((l, i) => (
          <span key={i} className="block">
            <span aria-hidden="true" className="mr-4 inline-block w-6 text-right text-quiet select-none">
              {i + 1}
            </span>
            {l}
          </span>
        ))}
      </pre>
    </figure>
  )
}
