import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { casesQuery } from '@/api/datasets'
import { useKeys } from '@/keys/useKeys'
import { Empty, ErrorLine, Waiting } from '@/parts/controls'
import { asText } from '@/parts/text'
import { useFrame } from '../frame'
import { StageGrid } from '../StageGrid'
import { CasesMargin } from './CasesMargin'
import { DatasetHead } from './DatasetHead'
import { DatasetSheets, type Sheet } from './DatasetSheets'
import { Grid } from './grid/Grid'
import { columnsOf, type Case } from './grid/model'
import { ALL, useGrid, type View } from './grid/useGrid'

type Dataset = Schemas['DatasetShape']

/** One dataset: its cases in the grid, what is said of them, what can be done. */
export function DatasetView({
  dataset,
  choose,
}: {
  dataset: Dataset
  choose: (id: number) => void
}) {
  const { brief } = useFrame()
  const [view, setView] = useState<View>(ALL)
  const [sheet, setSheet] = useState<Sheet | null>(null)
  const [open, setOpen] = useState<Case | null>(null)
  const asked = useCaseAsked(dataset.id)
  const data = useGrid(dataset, view, brief.id)
  const rows = [...data.rows.values()]
  const talks = rows.some((c) => c.conversation !== null)
  const sourced = rows.some((c) => c.source !== '')
  const columns = columnsOf(dataset.columns, dataset.kinds, talks, sourced)
  const labels = [
    ...new Set(
      rows.flatMap((c) =>
        dataset.columns.filter((n) => dataset.kinds[n] === 'label').map((n) => asText(c.inputs[n])),
      ),
    ),
  ].filter(Boolean)
  const all = dataset.working + dataset.held_out
  const empty = all === 0 && dataset.columns.length === 0
  const setKind = (column: string, kind: string) =>
    data.change([], { kinds: { [column]: kind } }).then(() => undefined)
  const shown = open ?? asked.found
  const opened = shown && (rows.find((c) => c.number === shown.number) ?? shown)
  useKeys({
    'cases.import': () => setSheet('import'),
    'cases.write': () => setSheet('write'),
    'cases.export': () => window.location.assign(`/api/datasets/${dataset.id}/export.csv`),
  })
  return (
    <StageGrid margin={<CasesMargin dataset={dataset} />}>
      <DatasetHead
        dataset={dataset}
        choose={choose}
        view={view}
        setView={setView}
        total={data.total}
        onSheet={setSheet}
      />
      {data.error !== null && <ErrorLine>{inWords(data.error)}</ErrorLine>}
      {data.waiting && data.error === null && <Waiting what="the cases" />}
      {empty ? (
        <Empty title="This dataset is empty.">
          Import a CSV, JSON or XLSX file, paste rows, or have a model propose cases from the brief.
          To type them, add a column for each placeholder of the prompt first.
        </Empty>
      ) : (
        data.total !== null && (
          <Grid
            data={data}
            columns={columns}
            view={view}
            setView={setView}
            setKind={setKind}
            onOpen={setOpen}
            labels={labels}
          />
        )
      )}
      <DatasetSheets
        dataset={dataset}
        data={data}
        sheet={sheet}
        close={() => setSheet(null)}
        open={setSheet}
        opened={opened}
        shut={() => {
          setOpen(null)
          asked.forget()
        }}
      />
    </StageGrid>
  )
}

/** The case that the address names, wherever in the dataset it stands. */
function useCaseAsked(dataset: number) {
  const [search, setSearch] = useSearchParams()
  const number = search.get('case')
  const asked = useQuery({
    ...casesQuery(dataset, {
      where: JSON.stringify([{ column: '#number', test: 'is', value: number ?? '' }]),
      limit: 1,
    }),
    enabled: number !== null,
  })
  const forget = () =>
    setSearch(
      (now) => {
        now.delete('case')
        return now
      },
      { replace: true },
    )
  return { found: number === null ? null : (asked.data?.cases[0] ?? null), forget }
}
