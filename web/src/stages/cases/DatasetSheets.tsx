import type { Schemas } from '@/api/client'
import { Overlay } from '@/parts/overlay'
import { AddColumn } from './AddColumn'
import { CaseView } from './CaseView'
import { columnsOf, type Case } from './grid/model'
import type { GridData } from './grid/useGrid'
import { ImportCases } from './ImportCases'
import { SplitForm } from './SplitForm'
import { WriteCases } from './writing/WriteCases'

export type Sheet = 'import' | 'split' | 'write' | 'column'

const TITLES: Record<Sheet, string> = {
  import: 'Import cases',
  split: 'Hold cases out at random',
  write: 'Have cases written',
  column: 'Add a column',
}

type Props = {
  dataset: Schemas['DatasetShape']
  data: GridData
  sheet: Sheet | null
  close: () => void
  opened: Case | null
  shut: () => void
}

/** What opens over the cases: import, split, writing, a column, one case as a whole. */
export function DatasetSheets({ dataset, data, sheet, close, opened, shut }: Props) {
  return (
    <>
      <Overlay
        open={sheet !== null}
        onOpenChange={(o) => !o && close()}
        title={sheet ? TITLES[sheet] : ''}
        side={sheet === 'write' || sheet === 'import'}
      >
        {sheet === 'import' && <ImportCases dataset={dataset} />}
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
        {sheet === 'column' && <AddColumn dataset={dataset} data={data} onDone={() => close()} />}
      </Overlay>
      <Overlay
        open={opened !== null}
        onOpenChange={(o) => !o && shut()}
        title={`Case ${opened?.number ?? ''}`}
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
