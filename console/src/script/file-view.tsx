import { autocompletion, completionKeymap } from '@codemirror/autocomplete'
import { defaultKeymap, indentWithTab } from '@codemirror/commands'
import { yaml } from '@codemirror/lang-yaml'
import { defaultHighlightStyle, HighlightStyle, indentUnit, syntaxHighlighting } from '@codemirror/language'
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint'
import { EditorState } from '@codemirror/state'
import { EditorView, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { useEffect, useRef } from 'react'
import { completes } from './complete'
import { fixed, lineAt, marked } from './marks'
import { useBuild, useDraftState } from './use-draft'

const look = EditorView.theme({
  '&': { height: '100%', fontSize: '0.87rem', background: 'var(--raised)' },
  '.cm-scroller': { fontFamily: 'var(--font-mono)', lineHeight: '1.6' },
  '.cm-gutters': { background: 'var(--raised)', color: 'var(--quiet)', border: 'none' },
  '.cm-activeLine': { background: 'color-mix(in srgb, var(--wash) 45%, transparent)' },
  '.cm-content': { caretColor: 'var(--ink)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-tooltip': { background: 'var(--raised)', border: '1px solid var(--line)', color: 'var(--ink)' },
})

const colours = HighlightStyle.define([
  { tag: tags.propertyName, color: 'var(--indigo)' },
  { tag: tags.comment, color: 'var(--quiet)' },
  { tag: tags.string, color: 'var(--lichen)' },
  { tag: [tags.number, tags.bool, tags.null], color: 'var(--woad)' },
])

/** FileView is the file as it is: edited as a text, with the checker's marks and remedies. */
export default function FileView() {
  const build = useBuild()
  const { draft } = build
  const s = useDraftState(draft)
  const host = useRef<HTMLDivElement>(null)
  const view = useRef<EditorView | null>(null)
  const knows = useRef(build)
  useEffect(() => {
    knows.current = build
  })
  useEffect(() => {
    const made = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: draft.get().text,
        extensions: [
          lineNumbers(),
          highlightActiveLine(),
          yaml(),
          indentUnit.of('  '),
          syntaxHighlighting(colours),
          syntaxHighlighting(defaultHighlightStyle, { fallback: true }),
          autocompletion({ override: [completes(() => ({ ...knows.current, tree: draft.get().tree }))] }),
          lintGutter(),
          look,
          keymap.of([...ownHistory(draft), ...completionKeymap, ...defaultKeymap, indentWithTab]),
          EditorView.contentAttributes.of({ 'aria-label': 'The file' }),
          EditorView.updateListener.of((u) => {
            if (u.docChanged && !u.transactions.some((t) => t.isUserEvent('outside')))
              draft.write(u.state.doc.toString(), 'file')
          }),
        ],
      }),
    })
    view.current = made
    made.scrollDOM.tabIndex = 0 // it scrolls by the keyboard too
    const place = draft.get().marked.line
    const line = draft.get().lines.find((l) => l.field === place)?.line
    if (line) {
      const at = lineAt(draft.get().text, line)
      made.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: 'center' }) })
    }
    made.focus()
    return () => {
      markLine(made, draft)
      made.destroy()
    }
  }, [draft])
  useEffect(() => {
    const v = view.current
    if (!v) return
    const now = v.state.doc.toString()
    if (now !== s.text) v.dispatch({ changes: { from: 0, to: now.length, insert: s.text }, userEvent: 'outside' })
  }, [s.text])
  useEffect(() => {
    const v = view.current
    if (v && v.state.doc.toString() === s.text) v.dispatch(setDiagnostics(v.state, diagnostics(s)))
  }, [s])
  return <div ref={host} className="h-full min-h-96 overflow-hidden" />
}

/** ownHistory undoes what was done to the draft, wherever it was done. */
const ownHistory = (draft: { undo: () => void; redo: () => void }) => [
  { key: 'Mod-z', run: () => (draft.undo(), true) },
  { key: 'Mod-y', run: () => (draft.redo(), true) },
  { key: 'Mod-Shift-z', run: () => (draft.redo(), true) },
]

/** markLine says on which line of the script the caret stood, so that the script shows the same place. */
function markLine(view: EditorView, draft: ReturnType<typeof useBuild>['draft']) {
  const line = view.state.doc.lineAt(view.state.selection.main.head).number
  const at = draft.get().lines.findLast((l) => l.line > 0 && l.line <= line && l.field !== undefined)
  if (at) draft.mark({ ...draft.get().marked, line: at.field, till: undefined })
}

function diagnostics(s: ReturnType<typeof useDraftState>): Diagnostic[] {
  return s.problems.map((p) => {
    const fix = p.fix
    return {
      ...marked(s.text, p),
      severity: p.severity === 'wrong' ? 'error' : 'warning',
      message: [p.what, p.remedy && `To do: ${p.remedy}`].filter(Boolean).join('. '),
      actions: fix
        ? [
            {
              name: fix.text.trim() ? `Write ${fix.text.trim().slice(0, 40)}` : 'Take it out',
              apply: (v: EditorView) => {
                const range = fixed(v.state.doc.toString(), fix)
                v.dispatch({ changes: { ...range, insert: fix.text } })
              },
            },
          ]
        : [],
    }
  })
}
