import { Popover } from 'radix-ui'
import { useState, type ReactNode } from 'react'

type Props = {
  /** What it chooses, for those who do not see it. */
  label: string
  /** The word in the sentence. */
  words: ReactNode
  children: ReactNode | ((close: () => void) => ReactNode)
}

/** A chooser in a sentence: an underlined word that opens what can stand in its place. */
export function Chooser({ label, words, children }: Props) {
  const [open, setOpen] = useState(false)
  const close = () => setOpen(false)
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        aria-label={`${label}: ${typeof words === 'string' ? words : ''}`}
        className="border-b border-dotted border-action text-left text-action hover:border-solid data-[state=open]:border-solid"
      >
        {words}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          collisionPadding={12}
          aria-label={label}
          className="z-20 max-h-[min(34rem,var(--radix-popover-content-available-height))] w-80 overflow-y-auto rounded-sm border border-rule-strong bg-paper p-3 font-sans text-sm shadow-lg outline-none"
        >
          {typeof children === 'function' ? children(close) : children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
