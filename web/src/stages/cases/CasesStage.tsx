import { lazy, Suspense } from 'react'
import { useSearchParams } from 'react-router'
import { Waiting } from '@/parts/controls'
import { DatasetView } from './DatasetView'
import { datasetInHand, keepDataset } from '../dataset'
import { useFrame } from '../frame'

const FirstCases = lazy(() => import('./FirstCases').then((m) => ({ default: m.FirstCases })))

const BaselinesView = lazy(() =>
  import('./elsewhere/BaselinesView').then((m) => ({ default: m.BaselinesView })),
)

const CopiesView = lazy(() => import('./CopiesView').then((m) => ({ default: m.CopiesView })))

const ReferencesView = lazy(() =>
  import('./references/ReferencesView').then((m) => ({ default: m.ReferencesView })),
)

const MissingView = lazy(() =>
  import('./missing/MissingView').then((m) => ({ default: m.MissingView })),
)

/** Cases: the rows a trial runs on, working and held out. */
export function CasesStage() {
  const { brief } = useFrame()
  const [search, setSearch] = useSearchParams()
  const chosen = Number(search.get('dataset'))
  const dataset = brief.datasets.find((d) => d.id === chosen) ?? datasetInHand(brief)
  if (!dataset)
    return (
      <Suspense fallback={<Waiting what="the cases" />}>
        <FirstCases />
      </Suspense>
    )
  const choose = (id: number) => {
    keepDataset(brief.id, id)
    setSearch((now) => {
      now.set('dataset', String(id))
      now.delete('case')
      return now
    })
  }
  if (search.has('answers'))
    return (
      <Suspense fallback={<Waiting what="the answers" />}>
        <BaselinesView key={dataset.id} dataset={dataset} />
      </Suspense>
    )
  if (search.has('copies'))
    return (
      <Suspense fallback={<Waiting what="the copies" />}>
        <CopiesView key={dataset.id} dataset={dataset} />
      </Suspense>
    )
  if (search.has('references'))
    return (
      <Suspense fallback={<Waiting what="the references" />}>
        <ReferencesView key={dataset.id} dataset={dataset} />
      </Suspense>
    )
  if (search.has('missing'))
    return (
      <Suspense fallback={<Waiting what="the parts" />}>
        <MissingView key={dataset.id} dataset={dataset} />
      </Suspense>
    )
  return <DatasetView key={dataset.id} dataset={dataset} choose={choose} />
}
