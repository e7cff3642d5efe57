import type { ReactNode } from 'react'

/** The middle column and the margin beside it; both scroll together. */
export function StageGrid({ children, margin }: { children: ReactNode; margin: ReactNode }) {
  return (
    <div className="grid min-h-full grid-cols-[minmax(0,1fr)_17.5rem]">
      <div className="min-w-0 px-6 py-4">{children}</div>
      <aside aria-label="Margin" className="border-l border-rule px-4 py-4">
        {margin}
      </aside>
    </div>
  )
}
