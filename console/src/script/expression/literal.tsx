import { Popover } from 'radix-ui'
import { useState } from 'react'
import { droppedOf, isDragged } from '../../parts/dragged'
import { useBroughtOut } from '../bring-out'
import { useGoing } from './focus'
import { isBlank, literal, valueForm } from './forms'
import type { NodeProps } from './operand'
import { Choice } from './value-chip'

const box = 'w-full min-w-20 rounded-md border border-line bg-paper px-2.5 py-1.5'

/** Literal is a value that stands there: a number, a text, yes or no. / or the button puts a value that is read. */
export function Literal(p: NodeProps) {
  const [picking, setPicking] = useState(!!p.opens && !!p.autoFocus && isBlank(p.form))
  const v = p.form.value
  const ref = useGoing<HTMLInputElement>(p.at)
  const { bring, error } = useBroughtOut(p.place)
  if (typeof v === 'boolean')
    return (
      <select
        aria-label={p.label}
        value={String(v)}
        onChange={(e) => p.onChange(literal(e.target.value === 'true'))}
        className={box}
      >
        <option value="true">yes</option>
        <option value="false">no</option>
      </select>
    )
  const text = v === null || v === undefined ? '' : String(v)
  const write = (s: string) => p.onChange(literal(asIs(s, p.like)))
  return (
    <Popover.Root open={picking} onOpenChange={setPicking}>
      <Popover.Anchor asChild>
        <span className={`flex items-center gap-1 ${typeof v === 'number' ? 'w-34' : 'min-w-28 flex-1'}`}>
          <input
            aria-label={p.label}
            ref={ref}
            autoFocus={p.autoFocus}
            value={text}
            placeholder={isBlank(p.form) ? 'a value, or what it is' : undefined}
            onChange={(e) => write(e.target.value)}
            onDragOver={(e) => isDragged(e.dataTransfer) && e.preventDefault()}
            onDrop={(e) => {
              const value = droppedOf(e.dataTransfer)
              if (!value) return
              e.preventDefault()
              void bring(value).then((code) => code && p.onChange(valueForm(code)))
            }}
            onKeyDown={(e) => {
              if (e.key === '/' && (text === '' || typeof v === 'number')) {
                e.preventDefault()
                setPicking(true)
              }
            }}
            className={box}
          />
          <button
            type="button"
            aria-label={`Choose a value for ${p.label}`}
            onClick={() => setPicking(true)}
            className="rounded-md border border-line bg-raised px-2 py-1 font-mono text-[0.87rem] text-indigo"
          >
            /
          </button>
          {error && (
            <span role="alert" className="text-[0.9rem] text-madder">
              {error.message}
            </span>
          )}
        </span>
      </Popover.Anchor>
      <Choice {...p} close={() => setPicking(false)} />
    </Popover.Root>
  )
}

/** asIs reads what is typed: a number as one, unless a text is meant. */
function asIs(s: string, like?: string): unknown {
  return like !== 'text' && like !== 'pattern' && /^-?\d+(\.\d+)?$/.test(s.trim()) ? Number(s) : s
}
