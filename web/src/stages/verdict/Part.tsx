import { useState, type ReactNode } from 'react'
import { useKeys } from '@/keys/useKeys'

type Props = {
  /** Its key, 1 to 4. */
  number: 1 | 2 | 3 | 4
  title: string
  /** What it found, in words; seen while it is closed. */
  finding: ReactNode
  children: ReactNode
}

/** A closed part of the evidence: its finding stands beside its name, a press or its number opens it. */
export function Part({ number, title, finding, children }: Props) {
  const [open, setOpen] = useState(false)
  useKeys({ [`verdict.part${number}`]: () => setOpen(!open) })
  return (
    <section className="border-t border-rule last:border-b">
      <h2>
        <button
          type="button"
          aria-expanded={open}
          className="grid w-full grid-cols-[1.6rem_11.5rem_minmax(0,1fr)] items-baseline gap-x-1 py-1.5 text-left font-sans text-sm hover:bg-wash-action max-[900px]:grid-cols-[1.6rem_minmax(0,1fr)]"
          onClick={() => setOpen(!open)}
        >
          <span className="inline-block w-5 rounded-sm border border-rule-strong text-center font-mono text-xs">
            {number}
          </span>
          <span className="font-semibold">{title}</span>
          <span className="font-normal text-soft max-[900px]:col-start-2">{finding}</span>
        </button>
      </h2>
      {open && <div className="pt-1 pb-4 pl-7">{children}</div>}
    </section>
  )
}
