import { useMemo, useRef, useState } from 'react'
import type { Line } from '../api'
import type { Dragging } from './line'
import { after, spotOf, within } from './places'
import { useBuild } from './use-draft'

interface Drop {
  path: string
  side: 'above' | 'below'
  line: Line
}

/** useDragging lets steps be dragged to where they are to stand. */
export function useDragging(): { drop?: Drop; drag: Dragging } {
  const { draft } = useBuild()
  const [drop, setDrop] = useState<Drop>()
  const from = useRef<Line>(undefined)
  const to = useRef<Drop>(undefined)
  const drag = useMemo(() => {
    const end = () => {
      from.current = undefined
      to.current = undefined
      setDrop(undefined)
    }
    return {
      begin: (line: Line) => void (from.current = line),
      over: (line: Line, below: boolean) => {
        if (!from.current || line.kind === 'gives') return
        const side = below || line.kind === 'trigger' ? ('below' as const) : ('above' as const)
        if (to.current?.path === line.path && to.current.side === side) return
        to.current = { path: line.path, side, line }
        setDrop(to.current)
      },
      drop: () => {
        const spot = spotOf(from.current)
        const target = to.current
        end()
        if (!spot || !target || spot.list[0] !== 'steps') return
        const above = target.side === 'above' ? spotOf(target.line) : undefined
        const into = within(above ?? after(target.line), draft.get().tree)
        void draft.act({ do: 'move', ...spot, count: 1, into: into.list, to: into.at })
      },
      end,
    }
  }, [draft])
  return { drop, drag }
}
