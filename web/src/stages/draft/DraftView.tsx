import { lazy, Suspense } from 'react'
import type { Schemas } from '@/api/client'
import { Waiting } from '@/parts/controls'
import type { useCaseAt } from './useCaseAt'
import type { View } from './view'
import { fromRows, toRows, type WorkingCopy } from './workingCopy'

// Seldom the first thing that is looked at: they come when they are asked for.
const AsSent = lazy(async () => ({ default: (await import('./AsSent')).AsSent }))
const BesideView = lazy(async () => ({ default: (await import('./BesideView')).BesideView }))
const WeightsView = lazy(async () => ({
  default: (await import('./weights/WeightsView')).WeightsView,
}))

type Props = {
  view: Exclude<View, 'Text'>
  setView: (view: View) => void
  version: Schemas['VersionDetail'] | undefined
  copy: WorkingCopy
  change: (make: (c: WorkingCopy) => WorkingCopy) => void
  changed: boolean
  cases: ReturnType<typeof useCaseAt>
}

/** Every way of looking at the text but the text itself. */
export function DraftView(props: Props) {
  return (
    <Suspense fallback={<Waiting what="this view" />}>
      <OneView {...props} />
    </Suspense>
  )
}

function OneView({ view, setView, version, copy, change, changed, cases }: Props) {
  switch (view) {
    case 'As sent':
      return <AsSent copy={copy} cases={cases} />
    case 'Versions':
      return version === undefined ? (
        <p className="text-sm text-soft">Save a first version before another is set beside it.</p>
      ) : (
        <BesideView
          number={version.number}
          unsaved={changed}
          onTaken={(taken) => {
            change((c) => ({ ...taken, messages: fromRows(toRows(taken), c.messages) }))
            setView('Text')
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
