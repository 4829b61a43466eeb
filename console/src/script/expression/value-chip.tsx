import { Popover } from 'radix-ui'
import { use, useMemo, useState } from 'react'
import { Picker } from '../picker'
import { itemLeaf, type Leaf } from '../scope'
import { useScope } from '../value-field'
import { GoingContext, useGoing } from './focus'
import { valueForm } from './forms'
import type { NodeProps } from './operand'

/** ValueChip is a value that is read; pressing it chooses another. */
export function ValueChip(p: NodeProps) {
  const [picking, setPicking] = useState(false)
  const ref = useGoing<HTMLButtonElement>(p.at)
  const path = p.form.path ?? []
  const item = p.items.some((i) => i.name === path[0])
  const lost = p.parts[p.at] && !p.parts[p.at].kind && !p.parts[p.at].there
  const inner = path.length === 1 ? 'it' : path.slice(1).join(' ').replaceAll('_', ' ')
  const words = item ? inner : named(path)
  return (
    <Popover.Root open={picking} onOpenChange={setPicking}>
      <Popover.Trigger
        ref={ref}
        data-reckons=""
        aria-label={`${p.label}: ${words}`}
        title={path.join('.')}
        className={`rounded-full px-2 py-0.5 ${lost ? 'bg-madder-wash text-madder' : 'bg-wash text-indigo'}`}
      >
        {words}
      </Popover.Trigger>
      <Choice {...p} close={() => setPicking(false)} />
    </Popover.Root>
  )
}

function named(path: string[]): string {
  const last = path[path.length - 1].replaceAll('_', ' ')
  return path.length > 1 && path[0] !== 'signal' && path[0] !== 'inputs'
    ? `${last} of ${path[0].replaceAll('_', ' ')}`
    : last
}

/** Choice is the list of values to choose from, those of the item first. */
export function Choice(p: NodeProps & { close: () => void }) {
  const { all } = useScope(p.place)
  const going = use(GoingContext)
  const leaves = useMemo(() => [...p.items.map((i) => itemLeaf(i.name, i.shape, i.value)), ...all], [all, p.items])
  const pick = (leaf: Leaf) => {
    going.go(p.next ?? p.at)
    p.close()
    const value = valueForm(leaf.code)
    const instead = { is: 'literal', value: leaf.kind === 'number' ? 0 : '' }
    p.onChange(leaf.optional ? { is: 'link', name: 'otherwise', of: [value, instead] } : value)
  }
  const close = () => {
    going.leaves() // nothing was chosen: the focus goes back
    p.close()
  }
  return (
    <Popover.Portal>
      <Popover.Content
        align="start"
        sideOffset={4}
        onCloseAutoFocus={(e) => going.leaves() && e.preventDefault()}
        className="z-50 rounded-md border border-line bg-raised shadow-lg"
      >
        <Picker leaves={leaves} onPick={pick} onClose={close} />
      </Popover.Content>
    </Popover.Portal>
  )
}
