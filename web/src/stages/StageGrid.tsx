import { useState, type ReactNode } from 'react'
import { KeyCaps } from '@/keys/KeyCaps'
import { useKeys } from '@/keys/useKeys'
import { NextLine } from './NextLine'

type Props = {
  children: ReactNode
  margin: ReactNode
  /** The middle is as high as the window, and its parts scroll by themselves. */
  full?: boolean
}

/** The middle column and the margin beside it; where the window is narrow, the margin folds under a key. */
export function StageGrid({ children, margin, full }: Props) {
  const [open, setOpen] = useState(false)
  useKeys({ margin: () => setOpen(!open) })
  return (
    <div
      className={`grid grid-cols-[minmax(0,1fr)_17.5rem] max-[1099px]:grid-cols-1 ${full ? 'h-full' : 'min-h-full'}`}
    >
      <div
        className={`min-w-0 px-6 py-4 max-[1099px]:px-4 ${full ? 'flex h-full min-h-0 flex-col pb-0' : ''}`}
      >
        {children}
      </div>
      <button
        type="button"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
        className="fixed right-0 bottom-4 z-10 hidden items-center gap-1.5 rounded-l-sm border border-r-0 border-rule-strong bg-sheet px-2 py-1 text-xs max-[1099px]:flex"
      >
        {open ? 'fold the margin' : 'margin'} <KeyCaps of="margin" />
      </button>
      <aside
        aria-label="Margin"
        className={`flex flex-col border-l border-rule px-4 pt-4 ${full ? 'overflow-y-auto' : ''} ${
          open
            ? 'max-[1099px]:fixed max-[1099px]:inset-y-0 max-[1099px]:right-0 max-[1099px]:z-10 max-[1099px]:w-[17.5rem] max-[1099px]:overflow-y-auto max-[1099px]:bg-paper max-[1099px]:pb-16 max-[1099px]:shadow-lg'
            : 'max-[1099px]:hidden'
        }`}
      >
        <div className="flex-1">{margin}</div>
        <NextLine />
      </aside>
    </div>
  )
}
