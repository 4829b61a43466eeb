import { Collapsible } from 'radix-ui'
import { useState } from 'react'

/** More is what is folded away till somebody wants it. */
export function More({ title, children }: { title: string; children: React.ReactNode }) {
  const [open, setOpen] = useState(false)
  return (
    <Collapsible.Root open={open} onOpenChange={setOpen}>
      <Collapsible.Trigger className="py-1 text-[0.93rem] text-indigo">
        {open ? '▾' : '▸'} {title}
      </Collapsible.Trigger>
      <Collapsible.Content>{children}</Collapsible.Content>
    </Collapsible.Root>
  )
}
