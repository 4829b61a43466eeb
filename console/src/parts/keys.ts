import { useEffect, useRef } from 'react'

/** useKeys does something at the press of a letter, unless one is writing. */
export function useKeys(does: Record<string, (() => void) | undefined>) {
  const now = useRef(does)
  useEffect(() => {
    now.current = does
  })
  useEffect(() => {
    const press = (e: globalThis.KeyboardEvent) => {
      const at = e.target as HTMLElement
      if (e.ctrlKey || e.metaKey || e.altKey || /^(INPUT|TEXTAREA|SELECT)$/.test(at.tagName)) return
      const act = now.current[e.key.toLowerCase()]
      if (act) {
        e.preventDefault()
        act()
      }
    }
    // On keyup, so that the letter itself does not land in a field that opens.
    window.addEventListener('keyup', press)
    return () => window.removeEventListener('keyup', press)
  }, [])
}
