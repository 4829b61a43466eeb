import { useEffect } from 'react'
import type { Draft } from './draft'

/** useUndoKeys undoes and does again by the usual keys, unless one is in a field that does so itself. */
export function useUndoKeys(draft: Draft) {
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const at = e.target as HTMLElement
      const field = at.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(at.tagName)
      if (field || !(e.ctrlKey || e.metaKey)) return
      const key = e.key.toLowerCase()
      if (key === 'z' && !e.shiftKey) draft.undo()
      else if (key === 'y' || key === 'z') draft.redo()
      else if (key === 's') void draft.save()
      else return
      e.preventDefault()
    }
    window.addEventListener('keydown', press)
    return () => window.removeEventListener('keydown', press)
  }, [draft])
}
