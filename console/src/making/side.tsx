import { Dialog } from 'radix-ui'
import { X } from 'lucide-react'

/** Side is a sheet at the side of the page, over what one was doing; Escape leaves it. */
export function Side({ title, onClose, children }: { title: string; onClose: () => void; children: React.ReactNode }) {
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/20" />
        <Dialog.Content
          aria-describedby={undefined}
          onKeyDown={(e) => e.stopPropagation()}
          className="fixed inset-y-0 right-0 z-40 w-160 max-w-full overflow-y-auto border-l border-line bg-raised px-5 py-4 shadow-lg outline-none"
        >
          <div className="mb-3 flex items-center justify-between gap-3">
            <Dialog.Title className="text-lg font-bold">{title}</Dialog.Title>
            <Dialog.Close aria-label="Close" className="p-1.5 text-quiet hover:text-ink">
              <X className="size-4" aria-hidden="true" />
            </Dialog.Close>
          </div>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
