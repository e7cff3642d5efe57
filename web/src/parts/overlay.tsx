import { Dialog } from 'radix-ui'
import type { ReactNode } from 'react'

type Props = {
  open: boolean
  onOpenChange: (open: boolean) => void
  title: string
  children: ReactNode
  side?: boolean
  hideTitle?: boolean
  wide?: boolean
}

/** A form opens with the focus on its first field; what has none, as the dialog does by itself. */
function intoFirstField(e: Event) {
  // A tick is nothing to begin with.
  const first = (e.currentTarget as HTMLElement).querySelector<HTMLElement>(
    'input:not([type=checkbox],[type=radio]),textarea,select',
  )
  if (!first) return
  e.preventDefault()
  first.focus()
}

/** A dialog in the middle, or a sheet from the right. */
export function Overlay({ open, onOpenChange, title, children, side, hideTitle, wide }: Props) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/25" />
        <Dialog.Content
          aria-describedby={undefined}
          onOpenAutoFocus={intoFirstField}
          className={`fixed z-30 overflow-y-auto border border-rule-strong bg-paper shadow-xl outline-none ${
            side
              ? 'inset-y-0 right-0 w-[min(46rem,92vw)] px-6 py-5'
              : `top-[8vh] left-1/2 max-h-[84vh] -translate-x-1/2 rounded-sm px-6 py-5 ${wide ? 'w-[min(58rem,92vw)]' : 'w-[min(42rem,92vw)]'}`
          }`}
        >
          <div className={hideTitle ? 'sr-only' : 'mb-3 flex items-baseline justify-between gap-4'}>
            <Dialog.Title className="font-serif text-xl font-semibold">{title}</Dialog.Title>
            <Dialog.Close className="text-sm text-soft hover:text-ink">Close</Dialog.Close>
          </div>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
