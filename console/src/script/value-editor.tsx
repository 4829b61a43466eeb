import { defaultKeymap, history, historyKeymap } from '@codemirror/commands'
import { Compartment, EditorState, type Extension } from '@codemirror/state'
import { EditorView, keymap, placeholder } from '@codemirror/view'
import { useEffect, useImperativeHandle, useRef, type RefObject } from 'react'
import { droppedOf, type Readable } from '../parts/dragged'
import { chips, inExpression, inText, type Says } from './chips'

/** Inserts puts a value where the caret is. */
export interface Inserts {
  insert: (code: string) => void
  focus: () => void
}

export interface EditorProps {
  label: string
  value: string
  mode: 'text' | 'expression'
  says: Says
  known: Set<string>
  lines?: boolean // may have several
  hint?: string
  autoFocus?: boolean
  onChange: (value: string) => void
  onValues: () => void // somebody asks for the values
  onDropped: (value: Readable) => Promise<string | undefined> // how it is read here; nothing where it cannot be
  onEnter?: () => void
  onEscape?: () => void
  ref?: RefObject<Inserts | null>
}

const look = EditorView.theme({
  '&': { fontSize: '0.93rem' },
  '.cm-content': { fontFamily: 'inherit', padding: '0.3rem 0.25rem', caretColor: 'var(--ink)' },
  '&.cm-focused': { outline: '2px solid var(--indigo)', outlineOffset: '1px', borderRadius: '6px' },
  '.cm-placeholder': { color: 'var(--quiet)' },
  '.cm-scroller': { lineHeight: '1.6', fontFamily: 'inherit', maxHeight: '16rem' },
})

/** ValueEditor is a field whose text has values in it. */
export default function ValueEditor({ ref, ...p }: EditorProps) {
  const host = useRef<HTMLDivElement>(null)
  const view = useRef<EditorView | null>(null)
  const now = useRef(p)
  const shown = useRef(new Compartment())
  const synced = useRef(p.value) // what was shown last that nobody wrote here
  const sent = useRef<string[]>([]) // what was written here and did not come back yet
  useEffect(() => {
    now.current = p
  })
  useEffect(() => {
    const made = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: now.current.value,
        extensions: [...behaviour(now, sent), shown.current.of(drawn(now.current)), labelled(now.current)],
      }),
    })
    view.current = made
    if (now.current.autoFocus) {
      made.focus()
      made.dispatch({ selection: { anchor: made.state.doc.length } })
    }
    return () => made.destroy()
  }, [])
  useEffect(() => {
    const v = view.current
    const doc = v?.state.doc.toString()
    const back = sent.current.indexOf(p.value)
    if (back >= 0) sent.current = sent.current.slice(back + 1)
    if (back >= 0 && sent.current.length > 0) return // it was written here, and more since
    if (!v || doc === p.value) {
      synced.current = p.value
    } else if (!v.hasFocus || doc === synced.current) {
      synced.current = p.value // nobody wrote meanwhile
      v.dispatch({ changes: { from: 0, to: v.state.doc.length, insert: p.value }, userEvent: 'outside' })
    }
  }, [p.value])
  useEffect(() => {
    view.current?.dispatch({ effects: shown.current.reconfigure(drawn(now.current)) })
  }, [p.says, p.known, p.mode])
  useImperativeHandle(ref, () => ({
    insert: (code: string) => put(view.current!, code, now.current.mode),
    focus: () => view.current?.focus(),
  }))
  return <div ref={host} className="rounded-md border border-line bg-paper px-1.5" />
}

const drawn = (p: EditorProps): Extension => chips(p.mode === 'text' ? inText : inExpression(p.known), p.says)

const labelled = (p: EditorProps): Extension =>
  EditorView.contentAttributes.of({ 'aria-label': p.label, 'aria-multiline': String(!!p.lines) })

function put(view: EditorView, code: string, mode: 'text' | 'expression', at?: number) {
  const insert = mode === 'text' ? '${' + code + '}' : code
  const range = at === undefined ? view.state.selection.main : { from: at, to: at }
  view.dispatch({
    changes: { from: range.from, to: range.to, insert },
    selection: { anchor: range.from + insert.length },
    userEvent: 'input',
  })
  view.focus()
}

function behaviour(now: RefObject<EditorProps>, sent: RefObject<string[]>): Extension[] {
  const done = () => {
    if (!now.current.onEnter) return false
    now.current.onEnter()
    return true
  }
  return [
    history(),
    look,
    EditorView.lineWrapping,
    now.current.hint ? placeholder(now.current.hint) : [],
    keymap.of([
      { key: 'Enter', run: () => done() || !now.current.lines }, // Shift Enter begins a line
      { key: 'Mod-Enter', run: done },
      {
        key: 'Escape',
        run: () => {
          now.current.onEscape?.()
          return !!now.current.onEscape
        },
      },
      ...defaultKeymap.filter((k) => k.key !== 'Mod-Enter'),
      ...historyKeymap,
    ]),
    EditorView.updateListener.of((u) => {
      if (!u.docChanged || u.transactions.some((t) => t.isUserEvent('outside'))) return
      const text = u.state.doc.toString()
      sent.current.push(text)
      now.current.onChange(text)
    }),
    EditorView.inputHandler.of((view, from, _to, text) => {
      const before = from === 0 ? ' ' : view.state.sliceDoc(from - 1, from)
      if (text !== '/' || !/\s/.test(before)) return false
      now.current.onValues()
      return true
    }),
    EditorView.domEventHandlers({
      drop: (e, view) => {
        const value = droppedOf(e.dataTransfer)
        if (!value) return false
        e.preventDefault()
        const at = view.posAtCoords({ x: e.clientX, y: e.clientY }) ?? undefined
        void now.current.onDropped(value).then((code) => code && put(view, code, now.current.mode, at))
        return true
      },
    }),
  ]
}
