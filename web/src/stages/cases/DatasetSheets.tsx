import { caseName } from '@/parts/caseName'
import { useQuery } from '@tanstack/react-query'
import { lazy, Suspense } from 'react'
import type { Schemas } from '@/api/client'
import { tiedQuery } from '@/api/datasets'
import { Waiting } from '@/parts/controls'
import { Overlay } from '@/parts/overlay'
import { AddColumn } from './AddColumn'
import { CaseView } from './CaseView'
import { ColumnsForm } from './ColumnsForm'
import { columnsOf, type Case } from './grid/model'
import type { GridData } from './grid/useGrid'
import { ImportCases } from './ImportCases'
import { SplitForm } from './SplitForm'
import { WriteCases } from './writing/WriteCases'

const LogImport = lazy(() =>
  import('./elsewhere/LogImport').then((m) => ({ default: m.LogImport })),
)

export type Sheet = 'import' | 'again' | 'log' | 'split' | 'write' | 'column'

const TITLES: Record<Sheet, string> = {
  import: 'Import cases',
  again: 'Read the file again',
  log: 'Bring in a log of conversations',
  split: 'Hold cases out at random',
  write: 'Propose cases',
  column: 'Columns',
}

// Those that need the height of the screen.
const SIDE = new Set<Sheet>(['write', 'import', 'again', 'log'])

type Props = {
  dataset: Schemas['DatasetShape']
  data: GridData
  sheet: Sheet | null
  close: () => void
  /** Another sheet in its place. */
  open: (sheet: Sheet) => void
  opened: Case | null
  shut: () => void
}

/** What opens over the cases: import, split, writing, a column, one case as a whole. */
export function DatasetSheets({ dataset, data, sheet, close, open, opened, shut }: Props) {
  return (
    <>
      <Overlay
        open={sheet !== null}
        onOpenChange={(o) => !o && close()}
        title={sheet ? TITLES[sheet] : ''}
        side={sheet !== null && SIDE.has(sheet)}
      >
        {sheet === 'import' && <ImportCases dataset={dataset} toLog={() => open('log')} />}
        {sheet === 'again' && <Again dataset={dataset} toLog={() => open('log')} />}
        {sheet === 'log' && (
          <Suspense fallback={<Waiting what="the form" />}>
            <LogImport dataset={dataset} />
          </Suspense>
        )}
        {sheet === 'split' && (
          <SplitForm
            dataset={dataset}
            onDone={() => {
              data.reload()
              close()
            }}
          />
        )}
        {sheet === 'write' && <WriteCases dataset={dataset} data={data} />}
        {sheet === 'column' && (
          <div className="grid gap-5">
            <AddColumn dataset={dataset} data={data} onDone={() => close()} />
            {dataset.columns.length > 0 && (
              <ColumnsForm
                dataset={dataset}
                onDone={() => {
                  data.reload()
                  close()
                }}
              />
            )}
          </div>
        )}
      </Overlay>
      <Overlay
        open={opened !== null}
        onOpenChange={(o) => !o && shut()}
        title={`Case ${opened ? caseName(opened) : ''}`}
        side
      >
        {opened && (
          <CaseView
            key={opened.number}
            case_={opened}
            dataset={dataset}
            data={data}
            columns={columnsOf(dataset.columns, dataset.kinds, true)}
          />
        )}
      </Overlay>
    </>
  )
}

/** The file that the dataset is tied to, read as it was before. */
function Again({ dataset, toLog }: { dataset: Schemas['DatasetShape']; toLog: () => void }) {
  const found = useQuery(tiedQuery(dataset.id, dataset.tied))
  const how = found.data?.how
  if (!how) return <Waiting what="the file" />
  return <ImportCases dataset={dataset} toLog={toLog} again={how} />
}
