import type { RefObject } from 'react'
import type { Line } from '../api'
import type { Deeds } from './deeds'
import type { Deed } from './line'
import { useBuild } from './use-draft'

const deedOf = (e: React.KeyboardEvent): Deed | undefined => {
  const ctrl = e.ctrlKey || e.metaKey
  if (e.altKey) return ({ ArrowUp: 'up', ArrowDown: 'down' } as Record<string, Deed>)[e.key]
  if (ctrl) return e.key === 'd' ? 'duplicate' : undefined
  return ({ Enter: 'open', '/': 'add', '+': 'add', Delete: 'remove', Backspace: 'remove' } as Record<string, Deed>)[
    e.key
  ]
}

/** onWords are the deeds that the keys carry out from a word of a line too. */
const onWords = new Set<Deed>(['up', 'down', 'add', 'duplicate'])

/** useLineKeys lets the script be walked and changed by the keyboard. */
export function useLineKeys(list: RefObject<HTMLDivElement | null>, shown: { line: Line }[], deeds: Deeds) {
  const { draft } = useBuild()
  const lineOf = (e: React.SyntheticEvent): Line | undefined => {
    const at = e.target as HTMLElement
    return at.dataset.line === undefined ? undefined : shown.find((x) => key(x.line) === at.dataset.line)?.line
  }
  const aroundOf = (e: React.SyntheticEvent): Line | undefined => {
    const at = (e.target as HTMLElement).closest<HTMLElement>('[data-word]')?.closest<HTMLElement>('[data-line]')
    return at ? shown.find((x) => key(x.line) === at.dataset.line)?.line : undefined
  }
  const walk = (line: Line, by: number, extend: boolean) => {
    const next = shown[shown.findIndex((x) => x.line === line) + by]?.line
    if (!next) return
    list.current?.querySelector<HTMLElement>(`[data-line="${CSS.escape(key(next))}"]`)?.focus()
    deeds.mark(next, extend)
  }
  const onKeyDown = (e: React.KeyboardEvent) => {
    if (besides(e) || !list.current?.contains(e.target as Node)) return
    const line = lineOf(e)
    const around = line ?? aroundOf(e)
    const deed = around && deedOf(e)
    if (deed && (line || onWords.has(deed))) deeds.does(around, deed)
    else if (line && !e.altKey && (e.key === 'ArrowUp' || e.key === 'ArrowDown'))
      walk(line, e.key === 'ArrowUp' ? -1 : 1, e.shiftKey)
    else if (!e.altKey && (e.key === 'ArrowLeft' || e.key === 'ArrowRight'))
      words(e.target as HTMLElement, e.key === 'ArrowLeft')
    else if (line && (e.key === 'ContextMenu' || (e.key === 'F10' && e.shiftKey) || e.key === 'm'))
      menu(e.target as HTMLElement)
    else if (e.key === 'Escape' && draft.get().marked.open) draft.mark({ line: draft.get().marked.line })
    else return
    e.preventDefault()
  }
  const clip = (cut: boolean) => (e: React.ClipboardEvent) => {
    const text = lineOf(e) && deeds.take(cut)
    if (text === undefined) return
    e.preventDefault()
    e.clipboardData.setData('text/plain', text)
  }
  return {
    onKeyDown,
    onFocus: (e: React.FocusEvent) => {
      const line = lineOf(e)
      if (line && line.field !== draft.get().marked.line && !draft.get().marked.till) deeds.mark(line)
    },
    onCopy: clip(false),
    onCut: clip(true),
    onPaste: (e: React.ClipboardEvent) => {
      const text = e.clipboardData.getData('text/plain')
      if (!lineOf(e) || !/^\s*- /.test(text)) return
      e.preventDefault()
      deeds.paste(text.endsWith('\n') ? text : text + '\n')
    },
  }
}

const key = (line: Line) => line.field ?? line.path

/** besides tells keys that are meant for a field. */
const besides = (e: React.KeyboardEvent) => {
  const at = e.target as HTMLElement
  return at.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(at.tagName)
}

/** words moves the focus along the words of a line that can be acted on. */
function words(at: HTMLElement, back: boolean) {
  const line = at.closest<HTMLElement>('[data-line]')
  if (!line) return
  const all = [...line.querySelectorAll<HTMLElement>('[data-word]')]
  const i = all.indexOf(at)
  const next = all[back ? i - 1 : i + 1]
  ;(next ?? (back ? line : at)).focus()
}

function menu(at: HTMLElement) {
  at.parentElement
    ?.querySelector<HTMLElement>('[data-menu]')
    ?.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }))
}
