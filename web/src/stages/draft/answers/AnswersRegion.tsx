import { lazy, type ReactNode, Suspense, useState } from 'react'
import type { Schemas } from '@/api/client'
import { useKeys } from '@/keys/useKeys'
import { Waiting } from '@/parts/controls'
import { useTyped } from '@/parts/typed'
import type { Brief } from '../../frame'
import type { useCaseAt } from '../useCaseAt'
import type { WorkingCopy } from '../workingCopy'
import { AskedText } from './AskedText'
import { LEAST, useHeight } from './useHeight'

const PinnedView = lazy(async () => ({
  default: (await import('../try/PinnedView')).PinnedView,
}))
const SweepView = lazy(async () => ({ default: (await import('../try/SweepView')).SweepView }))

export const TO = ['case', 'typed', 'kept', 'several'] as const
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

/** The answers below the text: to one case, a typed one, kept cases or several values; it folds to a line. */
export function AnswersRegion(props: RegionProps) {
  const { brief, copy, against, cases, placeholders } = props
  const { height, folded, fold, grip } = useHeight()
  const [chosen, setTo] = useTyped<To | null>(`answers ${brief.id} to`, null)
  const to = chosen ?? (cases.dataset ? 'case' : 'typed')
  // How often the key for the kept cases was pressed.
  const [pressed, setPressed] = useState(0)
  useKeys({
    'draft.pinned': () => [setTo('kept'), fold(false), setPressed((n) => n + 1)],
  })
  const head = (words: ReactNode, right: ReactNode = null) => (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 py-2 text-sm">
      <button
        type="button"
        aria-expanded={!folded}
        className="font-serif text-base font-semibold hover:underline"
        title={folded ? 'show the answers' : 'fold the answers'}
        onClick={() => fold(!folded)}
      >
        Answers
      </button>
      <span className="min-w-0">{words}</span>
      <span className="ml-auto flex items-center gap-2">{right}</span>
    </div>
  )
  return (
    <section
      aria-label="Answers"
      data-region
      tabIndex={-1}
      className="sticky bottom-0 z-[5] border-t-2 border-ink bg-sheet px-6 outline-none"
    >
      {grip}
      {(to === 'case' || to === 'typed') && (
        <AskedText {...props} to={to} setTo={setTo} head={head} height={folded ? null : height} />
      )}
      {to === 'kept' && (
        <Suspense fallback={<Waiting what="the kept cases" />}>
          {head(<ToChooserWords to={to} setTo={setTo} />)}
          <Body height={folded ? null : height}>
            <PinnedView
              brief={brief}
              copy={copy}
              against={against}
              cases={cases}
              pressed={pressed}
            />
          </Body>
        </Suspense>
      )}
      {to === 'several' && (
        <Suspense fallback={<Waiting what="the values" />}>
          {head(<ToChooserWords to={to} setTo={setTo} />)}
          <Body height={folded ? null : height}>
            <SweepView brief={brief} copy={copy} cases={cases} placeholders={placeholders} />
          </Body>
        </Suspense>
      )}
    </section>
  )
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

function ToChooserWords(props: ToProps) {
  return (
    <span className="flex items-baseline gap-2">
      to <ToChoices {...props} />
    </span>
  )
}
