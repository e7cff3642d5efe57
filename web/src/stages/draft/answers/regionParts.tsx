import type { ReactNode } from 'react'
import type { Schemas } from '@/api/client'
import type { Brief } from '../../frame'
import type { useCaseAt } from '../useCaseAt'
import type { WorkingCopy } from '../workingCopy'
import { LEAST } from './useHeight'

const TO = ['case', 'typed', 'kept', 'several'] as const
export type To = (typeof TO)[number]

export type RegionProps = {
  brief: Brief
  version: Schemas['VersionDetail'] | undefined
  copy: WorkingCopy
  changed: boolean
  /** The version it is compared with. */
  against: number | null
  cases: ReturnType<typeof useCaseAt>
  placeholders: string[]
  change: (make: (c: WorkingCopy) => WorkingCopy) => void
}

/** What scrolls in the region; nothing of it where it is folded. */
export function Body({ height, children }: { height: number | null; children: ReactNode }) {
  if (height === null) return null
  return (
    <div className="overflow-y-auto pb-3" style={{ height: Math.max(LEAST, height) - 48 }}>
      {children}
    </div>
  )
}

const WORDS: Record<To, string> = {
  case: 'one case',
  typed: 'what I type',
  kept: 'kept cases',
  several: 'several values',
}

type ToProps = { to: To; setTo: (to: To) => void }

/** The four that it may be asked of, the chosen one marked. */
export function ToChoices({ to, setTo }: ToProps) {
  return (
    <span className="flex flex-wrap gap-x-3" role="radiogroup" aria-label="Asked of">
      {TO.map((name) => (
        <button
          key={name}
          type="button"
          role="radio"
          aria-checked={to === name}
          className={`whitespace-nowrap ${to === name ? 'border-b-2 border-ink font-semibold' : 'text-soft hover:text-ink hover:underline'}`}
          onClick={() => setTo(name)}
        >
          {WORDS[name]}
        </button>
      ))}
    </span>
  )
}
