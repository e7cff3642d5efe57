import type { ReactNode } from 'react'
import type { Schemas } from '@/api/client'
import { Chooser } from '@/parts/Chooser'
import { inAList, plural } from '@/parts/numbers'
import type { Brief } from '../../frame'
import { ModelPicks } from '../try/ModelPicks'
import type { useCaseAt } from '../useCaseAt'
import type { WorkingCopy } from '../workingCopy'
import { TO, type To } from './to'
import type { useAsking } from './useAsking'
import { LEAST } from './useHeight'
import type { TryFormContent } from './useTryForm'

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

/** What every way of asking has in hand: the form that is kept, the tries, and where its head stands. */
export type WayProps = RegionProps & {
  form: TryFormContent
  setForm: (part: Partial<TryFormContent>) => void
  asking: ReturnType<typeof useAsking>
  to: To
  setTo: (to: To) => void
  head: (words: ReactNode, right: ReactNode) => ReactNode
  /** null: it is folded. */
  height: number | null
  onCollection: () => void
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
  talk: 'a talk',
}

type ToProps = { to: To; setTo: (to: To) => void }

/** All that it may be asked of, the chosen one marked. */
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

type SentenceProps = {
  to: To
  setTo: (to: To) => void
  models: Schemas['ModelShape'][]
  chosen: number[]
  most: number
  onModels: (ids: number[]) => void
}

/** To what, and from which models: one sentence of choosers. */
export function WaySentence({ to, setTo, models, chosen, most, onModels }: SentenceProps) {
  return (
    <span className="flex flex-wrap items-baseline gap-x-1.5">
      to
      <Chooser label="To what" words={WORDS[to]}>
        {(close) => (
          <ToChoices
            to={to}
            setTo={(next) => {
              close()
              setTo(next)
            }}
          />
        )}
      </Chooser>
      from <ModelChooser {...{ models, chosen, most, onModels }} />
    </span>
  )
}

type ModelProps = Pick<SentenceProps, 'models' | 'chosen' | 'most' | 'onModels'>

/** The models as a word of the sentence. */
export function ModelChooser({ models, chosen, most, onModels }: ModelProps) {
  const names = models.filter((m) => chosen.includes(m.id)).map((m) => m.name)
  return (
    <Chooser
      label="Models"
      words={
        names.length > 2
          ? plural(names.length, 'model')
          : names.length > 0
            ? inAList(names)
            : 'no model'
      }
    >
      <ModelPicks chosen={chosen} most={most} onChange={onModels} />
    </Chooser>
  )
}
