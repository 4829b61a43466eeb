import { Popover } from 'radix-ui'
import { useCallback, useMemo, useRef, useState } from 'react'
import { gist } from '../words'
import { useBroughtOut } from './bring-out'
import { codeOf, Picker } from './picker'
import { seenAt, type Leaf } from './scope'
import { useForm, useDraftState } from './use-draft'
import type { Inserts } from './value-editor'
import { later } from '../parts/later'

const ValueEditor = later(
  () => import('./value-editor').then((m) => m.default),
  <div className="h-9 rounded-md border border-line bg-paper" />,
)

/** useScope gives what may be read where a place of the file is. */
export function useScope(place: string): { all: Leaf[]; byCode: Map<string, Leaf> } {
  const { draft, run, begins } = useForm()
  const { lines, sees, tree } = useDraftState(draft)
  return useMemo(
    () => seenAt({ lines, sees, tree }, place, run, begins?.signal),
    [lines, sees, tree, run, begins, place],
  )
}

/** useToldCode gives the words of every expression of the script, by its code. */
function useToldCode(): Map<string, string> {
  const { draft } = useForm()
  const { lines } = useDraftState(draft)
  return useMemo(() => {
    const out = new Map<string, string>()
    for (const l of lines) for (const p of l.parts) if (p.code && p.words) out.set(p.code, p.text)
    return out
  }, [lines])
}

export interface ValueFieldProps {
  label: string
  place: string // of the field, as a pointer
  value: string
  mode: 'text' | 'expression'
  lines?: boolean
  hint?: string
  autoFocus?: boolean
  onChange: (value: string) => void
  onDone?: () => void
  onCancel?: () => void
}

/** ValueField is a field that takes values: a text with chips in it, or an expression. */
export function ValueField(p: ValueFieldProps) {
  const [picking, setPicking] = useState(false)
  const editor = useRef<Inserts>(null)
  const { all, byCode } = useScope(p.place)
  const told = useToldCode()
  const { bring, error } = useBroughtOut(p.place)
  const known = useMemo(() => new Set(byCode.keys()), [byCode])
  const says = useCallback(
    (code: string) => {
      const leaf = byCode.get(code)
      const words = told.get(code) ?? (leaf ? named(leaf) : code)
      const about = leaf?.value === undefined ? code : `${code} = ${gist(leaf.value)}`
      return { words, about, lost: !leaf && /^[A-Za-z_][\w.]*$/.test(code) && !told.has(code) }
    },
    [byCode, told],
  )
  const pick = (leaf: Leaf) => {
    setPicking(false)
    editor.current?.insert(codeOf(leaf))
  }
  const close = () => {
    setPicking(false)
    editor.current?.focus()
  }
  return (
    <Popover.Root open={picking} onOpenChange={setPicking}>
      <Popover.Anchor asChild>
        <div className="flex items-start gap-1.5">
          <div className="min-w-0 flex-1">
            <ValueEditor
              {...p}
              says={says}
              known={known}
              ref={editor}
              onValues={() => setPicking(true)}
              onDropped={bring}
              onEnter={p.onDone}
              onEscape={p.onCancel}
            />
            {error && (
              <p role="alert" className="text-[0.9rem] text-madder">
                {error.message}
              </p>
            )}
          </div>
          <button
            type="button"
            aria-label={`Put a value into ${p.label}`}
            title="Put a value in (or type / after a space)"
            onClick={() => setPicking(true)}
            className="mt-0.5 rounded-md border border-line bg-raised px-2 py-1 font-mono text-[0.87rem] text-indigo"
          >
            /
          </button>
        </div>
      </Popover.Anchor>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          onCloseAutoFocus={(e) => e.preventDefault()}
          className="z-40 rounded-md border border-line bg-raised shadow-lg"
        >
          <Picker leaves={all} onPick={pick} onClose={close} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** named is how a value that was not told yet is called. */
function named(leaf: Leaf): string {
  const last = leaf.name.replaceAll('_', ' ')
  return leaf.code.includes('.') && !leaf.code.startsWith('signal') ? `${last} of ${leaf.from}` : last
}
