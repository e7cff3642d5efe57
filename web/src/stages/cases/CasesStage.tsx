import { lazy, Suspense } from 'react'
import { useSearchParams } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords } from '@/api/client'
import { createDataset } from '@/api/datasets'
import { useWrite } from '@/api/useWrite'
import { Button, Empty, ErrorLine, Waiting } from '@/parts/controls'
import { DatasetView } from './DatasetView'
import { datasetInHand, keepDataset } from '../dataset'
import { useFrame } from '../frame'

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
  if (!dataset) return <NoDataset />
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

function NoDataset() {
  const { brief } = useFrame()
  const { write, pending, problem } = useWrite([...briefKeys(brief.id)])
  // The first needs no name: it is called after what it holds, and can be renamed.
  const make = () =>
    write(async () => {
      await createDataset(brief.id, {})
    })
  return (
    <div className="max-w-xl px-6">
      <Empty title="No cases yet.">
        A case is one input as it will really come, with the wanted answer where there is one.
        Import a file, paste or type rows, or have a model propose some.
      </Empty>
      <Button kind="main" disabled={pending} onClick={() => void make()}>
        Begin with cases
      </Button>
      {problem !== null && (
        <div className="mt-3">
          <ErrorLine>{inWords(problem)}</ErrorLine>
        </div>
      )}
    </div>
  )
}
