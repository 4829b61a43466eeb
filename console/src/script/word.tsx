import { Popover } from 'radix-ui'
import { useRef, useState } from 'react'
import type { Field, Part } from '../api'
import { FieldRow } from './field-row'
import { FieldInput } from './field-input'
import { fieldAt, titled } from './language'
import { pathOf, valueAt } from './pointer'
import { useBuild, useDraftState } from './use-draft'

/** Word is a part of a sentence that can be acted on: it opens its editor in place. */
export function Word({ parts, children }: { parts: Part[]; children: React.ReactNode }) {
  const [open, setOpen] = useState(false)
  const trigger = useRef<HTMLSpanElement>(null)
  const place = parts[0].field ?? ''
  const words = parts.map((p) => p.text).join('')
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Anchor asChild>
        <span
          ref={trigger}
          role="button"
          tabIndex={-1}
          data-word=""
          data-state={open ? 'open' : 'closed'}
          aria-haspopup="dialog"
          aria-expanded={open}
          aria-label={`Change ${words}`}
          onClick={(e) => {
            e.stopPropagation()
            setOpen(!open)
          }}
          onKeyDown={(e) => {
            if (e.key !== 'Enter' && e.key !== ' ') return
            e.preventDefault()
            e.stopPropagation()
            setOpen(true)
          }}
          className="cursor-pointer rounded hover:bg-wash data-[state=open]:bg-wash"
        >
          {children}
        </span>
      </Popover.Anchor>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          collisionPadding={12}
          aria-label={`Change ${words}`}
          onCloseAutoFocus={(e) => {
            e.preventDefault()
            trigger.current?.focus()
          }}
          className="z-20 max-h-(--radix-popover-content-available-height) w-160 max-w-[94vw] overflow-y-auto rounded-lg border border-line bg-raised p-3 shadow-lg"
        >
          <Editor place={place} close={() => setOpen(false)} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** Editor changes one field where its word stands. */
function Editor({ place, close }: { place: string; close: () => void }) {
  const { draft, language } = useBuild()
  const { tree } = useDraftState(draft)
  const at = pathOf(place)
  const field = fieldAt(language, tree, at)
  if (!field) return <p className="text-quiet">This is changed in the step itself: press Enter on its line.</p>
  const value = valueAt(tree, at)
  if (field.holds === 'fields' || field.many) return <FieldRow field={field} place={place} />
  return (
    <>
      <h3 className="mb-1 font-semibold first-letter:uppercase">{nameOf(field, at)}</h3>
      <FieldInput
        field={field}
        label={nameOf(field, at)}
        place={place}
        value={value}
        autoFocus
        onSet={(v, typing) => void draft.set(at, v, undefined, typing ? 'word' : '')}
        onDone={close}
        onCancel={close}
      />
      <p className="mt-1 text-[0.84rem] text-quiet">{field.help}</p>
    </>
  )
}

const nameOf = (field: Field, at: (string | number)[]) => {
  const last = at[at.length - 1]
  return titled(typeof last === 'string' ? last : field.name)
}

/** grouped puts together the parts that show one field, side by side. */
export function grouped(parts: Part[]): Part[][] {
  const out: Part[][] = []
  for (const p of parts) {
    const last = out[out.length - 1]
    if (last && p.field && last[0].field === p.field && p.how) last.push(p)
    else out.push([p])
  }
  return out
}
