import { DropdownMenu } from 'radix-ui'
import { ChevronDown, ChevronRight, MoreHorizontal, Plus } from 'lucide-react'
import { memo } from 'react'
import type { Line, Problem, Step } from '../api'
import { Sentence } from '../parts/sentence'
import type { Rail } from '../parts/rails'
import { Strand } from '../parts/strand'
import { Form } from './form'
import { partOf, spotOf } from './places'
import { ProblemNote } from './problems'
import { grouped, Word } from './word'

/** What can be done with a line, by its menu and its keys. */
export type Deed = 'open' | 'add' | 'duplicate' | 'up' | 'down' | 'off' | 'copy' | 'cut' | 'remove' | 'fold'

export interface LineProps {
  line: Line
  step?: Step // what it did in the run that is shown
  gave: string
  first: boolean
  last: boolean
  on: boolean // the run went past it
  rails: Rail[]
  current: boolean
  selected: boolean
  open: boolean
  folded?: boolean // nothing where nothing is inside
  off: boolean
  drop?: 'above' | 'below'
  problems: Problem[]
  does: (line: Line, deed: Deed) => void
  drag: Dragging
}

export interface Dragging {
  begin: (line: Line) => void
  over: (line: Line, below: boolean) => void
  drop: () => void
  end: () => void
}

/** ScriptLine is one line that is built on: its sentence, what it gave, and its form when it is open. */
export const ScriptLine = memo(function ScriptLine(p: LineProps) {
  const { line } = p
  const half = (e: React.DragEvent) => {
    const box = e.currentTarget.getBoundingClientRect()
    return e.clientY > box.top + box.height / 2
  }
  return (
    <li
      className={`group/line relative ${p.drop === 'above' ? 'drop-above' : p.drop === 'below' ? 'drop-below' : ''}`}
      onDragOver={(e) => {
        e.preventDefault()
        p.drag.over(line, half(e))
      }}
      onDrop={p.drag.drop}
    >
      <div className={`flex min-h-9 ${p.selected ? 'rounded-md bg-wash/60' : ''}`}>
        <Strand
          status={p.step?.status}
          first={p.first}
          last={p.last}
          on={p.on}
          branch={line.kind === 'case'}
          depth={line.depth}
          rails={p.rails}
        />
        <div className="min-w-0 flex-1">
          <div className={`flex ${p.off ? 'opacity-60' : ''}`}>
            <LineWords {...p} />
            <LineMenu line={line} off={p.off} does={p.does} />
          </div>
          {p.problems.map((x, i) => (
            <ProblemNote key={i} problem={x} />
          ))}
          {p.open && (
            <div style={{ paddingLeft: `${line.depth * 1.1}rem` }}>
              <Form place={partOf(line)} />
            </div>
          )}
        </div>
      </div>
    </li>
  )
})

/** LineWords is the sentence, with the words of it that can be acted on, and what the line gave. */
function LineWords({ line, step, gave, current, folded, does, drag }: LineProps) {
  return (
    <div
      role="group"
      aria-label={line.parts.map((x) => x.text).join('')}
      data-line={line.field ?? line.path}
      tabIndex={current ? 0 : -1}
      draggable={!!spotOf(line)}
      onDragStart={() => drag.begin(line)}
      onDragEnd={drag.end}
      // What is pressed in a window that a word opened comes by here too.
      onClick={(e) => e.currentTarget.contains(e.target as Node) && does(line, 'open')}
      className="min-w-0 flex-1 cursor-default rounded-md px-1 py-1.5"
    >
      <p className="min-w-0" style={{ paddingLeft: `${line.depth * 1.1}rem` }}>
        {folded !== undefined && (
          <button
            type="button"
            tabIndex={-1}
            aria-label={folded ? 'Unfold' : 'Fold'}
            onClick={(e) => {
              e.stopPropagation()
              does(line, 'fold')
            }}
            className="mr-1 align-middle text-quiet"
          >
            {folded ? <ChevronRight className="size-4" /> : <ChevronDown className="size-4" />}
          </button>
        )}
        {line.number && <span className="mr-2 text-[0.8rem] text-quiet">{line.number}</span>}
        {grouped(line.parts).map((parts, i) => {
          const words = <Sentence parts={parts} reads={line.reads} values={step?.values} />
          return parts[0].field && parts[0].how ? (
            <Word key={i} parts={parts}>
              {words}
            </Word>
          ) : (
            <span key={i}>{words}</span>
          )
        })}
        {folded && <span className="text-quiet"> …</span>}
      </p>
      {gave && (
        <p
          className={`truncate font-mono text-[0.84rem] ${step?.error ? 'text-madder' : 'text-quiet'}`}
          style={{ paddingLeft: `${line.depth * 1.1}rem` }}
          title={gave}
        >
          {gave}
        </p>
      )}
    </div>
  )
}

const deeds: [Deed, string, string][] = [
  ['open', 'Open', 'Enter'],
  ['add', 'Add below', '/'],
  ['duplicate', 'Duplicate', 'Ctrl D'],
  ['up', 'Move up', 'Alt ↑'],
  ['down', 'Move down', 'Alt ↓'],
  ['copy', 'Copy', 'Ctrl C'],
  ['cut', 'Cut', 'Ctrl X'],
  ['off', 'Switch off', ''],
  ['remove', 'Delete', 'Del'],
]

function LineMenu({ line, off, does }: { line: Line; off: boolean; does: LineProps['does'] }) {
  const step = !!spotOf(line)
  const can = deeds.filter(([d]) => step || d === 'open' || d === 'add')
  return (
    <span className="invisible flex shrink-0 items-start gap-0.5 pt-1 group-focus-within/line:visible group-hover/line:visible">
      <button
        type="button"
        tabIndex={-1}
        aria-label="Add below"
        title="Add below ( / )"
        onClick={() => does(line, 'add')}
        className="rounded p-1 text-indigo hover:bg-wash"
      >
        <Plus className="size-4" aria-hidden="true" />
      </button>
      <DropdownMenu.Root modal={false}>
        <DropdownMenu.Trigger
          data-menu=""
          tabIndex={-1}
          aria-label="What can be done with this line"
          className="rounded p-1 text-quiet hover:bg-wash"
        >
          <MoreHorizontal className="size-4" aria-hidden="true" />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            className="z-30 min-w-44 rounded-md border border-line bg-raised py-1 shadow-lg"
          >
            {can.map(([deed, words, key]) => (
              <DropdownMenu.Item
                key={deed}
                onSelect={() => does(line, deed)}
                className="flex cursor-pointer justify-between gap-6 px-3 py-1 outline-none data-highlighted:bg-wash"
              >
                {deed === 'off' && off ? 'Switch on' : words}
                <span className="text-[0.84rem] text-quiet">{key}</span>
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </span>
  )
}
