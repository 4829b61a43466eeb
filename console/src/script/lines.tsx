import { Fragment, useCallback, useEffect, useMemo, useRef, useState } from 'react'
import type { Detail, Line } from '../api'
import { gist } from '../words'
import { AddHere } from './add-here'
import { useDeeds } from './deeds'
import { ScriptLine } from './line'
import { useLineKeys } from './line-keys'
import { Ends } from './ends'
import { stepOffers, triggerOffers, type Offer } from './offers'
import { partOf, spotOf } from './places'
import { pathOf, valueAt } from './pointer'
import { railsOf } from '../parts/rails'
import { ProblemNote } from './problems'
import { laid } from './runs'
import { useDragging } from './dragging'
import { useBuild, useDraftState } from './use-draft'

/** Lines is the script as it is built: a line a sentence. */
export function Lines() {
  const { draft, language, tools, names, run } = useBuild()
  const s = useDraftState(draft)
  const [adding, setAdding] = useState<string>() // below the line of this path; "" at the top
  const [folded, setFolded] = useState<Set<string>>(new Set())
  const list = useRef<HTMLDivElement>(null)
  const deeds = useDeeds(setAdding, setFolded)
  const shown = useMemo(() => unfolded(s.lines, folded), [s.lines, folded])
  const rails = useMemo(() => railsOf(shown.map((x) => x.line)), [shown])
  const keys = useLineKeys(list, shown, deeds)
  const { drop, drag } = useDragging()
  const steps = useMemo(() => stepOffers(language, tools, names), [language, tools, names])
  const starts = useMemo(() => triggerOffers(language, draft.id), [language, draft.id])
  const did = useMemo(() => laid(run, s.lines), [run, s.lines])
  const noted = useMemo(() => problemsByLine(s.lines, s.problems), [s.lines, s.problems])
  const does = deeds.does
  const close = useCallback(() => {
    setAdding(undefined)
    list.current?.querySelector<HTMLElement>('[data-line][tabindex="0"]')?.focus()
  }, [])
  const add = (path: string, chosen: Offer[]) => {
    close()
    void deeds.add(path, chosen)
  }
  useFocusOnCurrent(list, s.marked.line)
  const current = s.marked.line ?? s.lines[0]?.field
  const search = (path: string) =>
    adding === path && (
      <div className="my-1 ml-7">
        <AddHere
          offers={path === 'trigger' ? starts : steps}
          label={path === 'trigger' ? 'What starts it' : 'What comes here'}
          onAdd={(chosen) => add(path, chosen)}
          onClose={close}
        />
      </div>
    )
  const searchBelow = belowOf(shown, adding)
  const triggers = s.lines.filter((l) => l.kind === 'trigger')
  return (
    <div ref={list} {...keys} className="px-2 py-3 md:px-5">
      <ol aria-label="Script">
        {shown.map(({ line, inside }, i) => (
          <Fragment key={line.field ?? line.path}>
            <ScriptLine
              line={line}
              step={did.get(line.path)}
              gave={gaveOn(line, did.get(line.path), run)}
              first={i === 0}
              last={i === shown.length - 1}
              on={shown.slice(i + 1, i + 400).some((l) => did.get(l.line.path)?.status)}
              rails={rails[i]}
              current={(line.field ?? '') === current}
              selected={isSelected(s.lines, s.marked, line)}
              open={!!s.marked.open && s.marked.open === partOf(line)}
              folded={inside ? folded.has(line.path) : undefined}
              off={isOff(s.tree, line)}
              drop={drop?.path === line.path ? drop.side : undefined}
              problems={noted.get(line.path) ?? none}
              does={does}
              drag={drag}
            />
            {line === searchBelow && <li>{search(adding ?? '')}</li>}
            {line === triggers[triggers.length - 1] && adding === 'trigger' && <li>{search('trigger')}</li>}
          </Fragment>
        ))}
      </ol>
      <Ends adding={adding} setAdding={setAdding} search={search} />
      <section aria-label="About the whole" className="mt-3">
        {(noted.get('') ?? none).map((p, i) => (
          <ProblemNote key={i} problem={p} />
        ))}
      </section>
    </div>
  )
}

const none: never[] = []

/** unfolded are the lines that are shown, and whether others stand inside each. */
function unfolded(lines: Line[], folded: Set<string>): { line: Line; inside: boolean }[] {
  const out: { line: Line; inside: boolean }[] = []
  let hide = Infinity
  lines.forEach((line, i) => {
    if (line.depth > hide) return
    hide = folded.has(line.path) ? line.depth : Infinity
    out.push({ line, inside: (lines[i + 1]?.depth ?? 0) > line.depth })
  })
  return out
}

/** belowOf is the line the search stands below: behind what is in the step it adds to. */
function belowOf(shown: { line: Line }[], adding?: string): Line | undefined {
  const at = shown.findIndex((x) => x.line.path === adding)
  if (at < 0 || shown[at].line.kind === 'case') return shown[at]?.line
  let end = at
  while (shown[end + 1] && shown[end + 1].line.depth > shown[at].line.depth) end++
  return shown[end].line
}

function gaveOn(line: Line, step: Detail['steps'][number] | undefined, run?: Detail): string {
  if (!run || !step?.status) return run && line.kind === 'case' ? 'not taken' : ''
  return line.kind === 'trigger' ? run.about : step.error || gist(step.output).slice(0, 400)
}

const isOff = (tree: unknown, line: Line) => !!spotOf(line) && valueAt(tree, [...pathOf(partOf(line)), 'off']) === true

function isSelected(lines: Line[], marked: { line?: string; till?: string }, line: Line): boolean {
  if (!marked.till || !marked.line) return false
  const place = (pointer: string) => lines.findIndex((l) => l.field === pointer)
  const [a, b] = [place(marked.line), place(marked.till)].toSorted((x, y) => x - y)
  const at = lines.indexOf(line)
  return at >= a && at <= b
}

/** problemsByLine puts each problem with the line that stands nearest above it in the file. */
function problemsByLine<P extends { line: number }>(lines: Line[], problems: P[]): Map<string, P[]> {
  const out = new Map<string, P[]>()
  const first = Math.min(...lines.map((l) => l.line))
  for (const p of problems) {
    const above = lines.filter((l) => l.line <= p.line && l.line > 0)
    const nearest = above.reduce<Line | undefined>((best, l) => (!best || l.line >= best.line ? l : best), undefined)
    const path = p.line < first || !nearest ? '' : nearest.path
    out.set(path, [...(out.get(path) ?? []), p])
  }
  return out
}

/** useFocusOnCurrent moves the focus along with the line one is on, while it is among the lines. */
function useFocusOnCurrent(list: React.RefObject<HTMLDivElement | null>, place?: string) {
  useEffect(() => {
    if (place === undefined || !list.current) return
    const at = document.activeElement
    const elsewhere = at && at !== document.body && !(at instanceof HTMLElement && at.dataset.line !== undefined)
    if (elsewhere) return
    list.current.querySelector<HTMLElement>(`[data-line="${CSS.escape(place)}"]`)?.focus()
  }, [list, place])
}
