import { useSearchParams } from 'react-router'
import { useState } from 'react'
import { briefKeys } from '@/api/briefs'
import { inWords } from '@/api/client'
import { createDataset } from '@/api/datasets'
import { useWrite } from '@/api/useWrite'
import { Button, Empty, ErrorLine, Field } from '@/parts/controls'
import { DatasetView } from './DatasetView'
import { useFrame } from '../frame'

/** Cases: the rows a trial runs on, working and held out. */
export function CasesStage() {
  const { brief } = useFrame()
  const [search, setSearch] = useSearchParams()
  const chosen = Number(search.get('dataset'))
  const dataset = brief.datasets.find((d) => d.id === chosen) ?? brief.datasets[0]
  if (!dataset) return <NoDataset />
  const choose = (id: number) =>
    setSearch((now) => {
      now.set('dataset', String(id))
      now.delete('case')
      return now
    })
  return <DatasetView key={dataset.id} dataset={dataset} choose={choose} />
}

function NoDataset() {
  const { brief } = useFrame()
  const [name, setName] = useState('')
  const { write, problem } = useWrite([...briefKeys(brief.id)])
  const make = () =>
    write(async () => {
      await createDataset(brief.id, { name })
    })
  return (
    <div className="max-w-xl px-6">
      <Empty title="No cases yet.">
        A case is one input with, where there is one, the reference answer. Name a dataset, then
        import a file, type the cases, or have a model propose some.
      </Empty>
      <form
        className="flex items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault()
          void make()
        }}
      >
        <Field
          label="Name of the dataset"
          className="flex-1"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Button kind="main" type="submit">
          Open the dataset
        </Button>
      </form>
      {problem !== null && (
        <div className="mt-3">
          <ErrorLine>{inWords(problem)}</ErrorLine>
        </div>
      )}
    </div>
  )
}
