import type { ReactNode } from 'react'

type CheckProps = { state: 'so' | 'open' | 'against'; title: string; children?: ReactNode }

const SIGNS = { so: '✓', open: '–', against: '✗' } as const
const SAID = { so: 'done', open: 'open', against: 'against it' } as const

/** One line of the list; what is open or against it stands out. */
export function Check({ state, title, children }: CheckProps) {
  const colour = { so: '', open: 'font-semibold', against: 'font-semibold text-harm' }[state]
  return (
    <li className="grid grid-cols-[0.9rem_minmax(0,1fr)]">
      <span aria-hidden>{SIGNS[state]}</span>
      <span className="min-w-0">
        <span className="sr-only">{SAID[state]}: </span>
        <span className={colour}>{title}</span> {children}
      </span>
    </li>
  )
}
