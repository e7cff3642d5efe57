import { lazy, Suspense } from 'react'
import type { Schemas } from '@/api/client'
import { Waiting } from '@/parts/controls'
import type { Brief } from '../frame'
import { AsSent } from './AsSent'
import type { useCaseAt } from './useCaseAt'
import type { View } from './view'
import { fromRows, toRows, type WorkingCopy } from './workingCopy'

// Seldom the first thing that is looked at: they come when they are asked for.
const BesideView = lazy(async () => ({ default: (await import('./BesideView')).BesideView }))
const PinnedView = lazy(async () => ({ default: (await import('./try/PinnedView')).PinnedView }))
const SweepView = lazy(async () => ({ default: (await import('./try/SweepView')).SweepView }))
const TryView = lazy(async () => ({ default: (await import('./try/TryView')).TryView }))
const WeightsView = lazy(async () => ({
  default: (await import('./weights/WeightsView')).WeightsView,
}))

type Props = {
  view: Exclude<View, 'Clauses'>
  setView: (view: View) => void
  brief: Brief
  version: Schemas['VersionDetail'] | undefined
  copy: WorkingCopy
  change: (make: (c: WorkingCopy) => WorkingCopy) => void
  changed: boolean
  /** The version it is compared with. */
  against: number | null
  cases: ReturnType<typeof useCaseAt>
  placeholders: string[]
  /** How often the key for the pinned cases was pressed. */
  pressed: number
}

/** Every way of looking at the text but the clauses themselves. */
export function DraftView(props: Props) {
  return (
    <Suspense fallback={<Waiting what="this view" />}>
      <OneView {...props} />
    </Suspense>
  )
}

function OneView(props: Props) {
  const { view, setView, brief, version, copy, change, changed, against, cases, placeholders } =
    props
  switch (view) {
    case 'Try':
      return (
        <TryView
          brief={brief}
          copy={copy}
          besideNumber={against}
          cases={cases}
          placeholders={placeholders}
          change={change}
          goTo={setView}
        />
      )
    case 'Pinned':
      return (
        <PinnedView
          brief={brief}
          copy={copy}
          against={against}
          cases={cases}
          pressed={props.pressed}
        />
      )
    case 'Sweep':
      return <SweepView brief={brief} copy={copy} cases={cases} placeholders={placeholders} />
    case 'As sent':
      return <AsSent copy={copy} cases={cases} />
    case 'Beside':
      return version === undefined ? (
        <p className="text-sm text-soft">Save a first version before another is set beside it.</p>
      ) : (
        <BesideView
          number={version.number}
          unsaved={changed}
          onTaken={(taken) => {
            change((c) => ({ ...taken, messages: fromRows(toRows(taken), c.messages) }))
            setView('Clauses')
          }}
        />
      )
    case 'Weights':
      return version === undefined ? (
        <p className="text-sm text-soft">Save a first version before its clauses are weighed.</p>
      ) : (
        <WeightsView version={version} unsaved={changed} />
      )
  }
}
