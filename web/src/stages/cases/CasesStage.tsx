import { useState } from 'react'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { createDataset } from '@/api/datasets'
import { useWrite } from '@/api/useWrite'
import { Button, Choice, Empty, ErrorLine, Field, TextAction, Waiting } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { asText } from '@/parts/text'
import { useFrame } from '../BriefFrame'
import { StageGrid } from '../StageGrid'
import { AddColumn } from './AddColumn'
import { CasesMargin } from './CasesMargin'
import { CaseView } from './CaseView'
import { Grid } from './grid/Grid'
import { TESTS } from './grid/HeadCell'
import { columnsOf, type Case } from './grid/model'
import { ALL, useGrid, type View } from './grid/useGrid'
import { ImportCases } from './ImportCases'
import { SplitForm } from './SplitForm'
import { WriteCases } from './writing/WriteCases'

type Dataset = Schemas['DatasetShape']
type Sheet = 'import' | 'split' | 'write' | 'column'

const TITLES: Record<Sheet, string> = {
  import: 'Import cases',
  split: 'Hold cases out at random',
  write: 'Have cases written',
  column: 'Add a column',
}

/** Cases: the rows a trial runs on, working and held out. */
export function CasesStage() {
  const { brief } = useFrame()
  const [chosen, setChosen] = useState<number | null>(null)
  const dataset = brief.datasets.find((d) => d.id === chosen) ?? brief.datasets[0]
  if (!dataset) return <NoDataset />
  return <DatasetView key={dataset.id} dataset={dataset} choose={setChosen} />
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

function DatasetView({ dataset, choose }: { dataset: Dataset; choose: (id: number) => void }) {
  const { brief } = useFrame()
  const [view, setView] = useState<View>(ALL)
  const [sheet, setSheet] = useState<Sheet | null>(null)
  const [open, setOpen] = useState<Case | null>(null)
  const data = useGrid(dataset, view, brief.id)
  const rows = [...data.rows.values()]
  const talks = rows.some((c) => c.conversation !== null)
  const columns = columnsOf(dataset.columns, dataset.kinds, talks)
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
  const opened = open && (rows.find((c) => c.number === open.number) ?? open)
  return (
    <StageGrid margin={<CasesMargin dataset={dataset} cases={rows} />}>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <h1 className="text-xl">{dataset.name}</h1>
        <span
          className="text-sm whitespace-nowrap text-soft"
          title={
            dataset.open
              ? 'No trial has run on it yet: changes go into it.'
              : 'A trial has run on it: the next change begins version ' +
                (dataset.version + 1) +
                '.'
          }
        >
          version {dataset.version}
          {dataset.open ? '' : ', in use'}
        </span>
        {brief.datasets.length > 1 && (
          <Choice
            label="Dataset"
            hideLabel
            value={dataset.id}
            onChange={(e) => choose(Number(e.target.value))}
          >
            {brief.datasets.map((d) => (
              <option key={d.id} value={d.id}>
                {d.name}
              </option>
            ))}
          </Choice>
        )}
        <span className="ml-auto flex gap-2">
          <Button onClick={() => setSheet('split')} disabled={all < 2}>
            Hold out at random…
          </Button>
          <Button onClick={() => setSheet('write')}>Have cases written…</Button>
          <Button kind="main" onClick={() => setSheet('import')}>
            Import cases…
          </Button>
        </span>
      </div>
      <div className="mt-3 flex items-end gap-4 border-b border-rule pb-2">
        <Choice
          label="Part"
          className="w-40"
          value={view.split}
          onChange={(e) => setView({ ...view, split: e.target.value })}
        >
          <option value="">all {count(all)}</option>
          <option value="working">working, {count(dataset.working)}</option>
          <option value="held-out">held out, {count(dataset.held_out)}</option>
        </Choice>
        <Field
          label="Find in cases"
          className="w-48"
          value={view.words}
          onChange={(e) => setView({ ...view, words: e.target.value })}
        />
        <Shown view={view} setView={setView} total={data.total} all={all} />
        <span className="ml-auto flex items-center gap-3 pb-1.5 text-sm text-soft">
          <TextAction light onClick={() => setSheet('column')}>
            Add a column…
          </TextAction>
          <span className="flex items-center gap-1.5">
            Export
            {['csv', 'xlsx', 'jsonl'].map((kind) => (
              <a
                key={kind}
                className="text-action underline underline-offset-2"
                href={`/api/datasets/${dataset.id}/export.${kind}`}
              >
                {kind === 'jsonl' ? 'JSON Lines' : kind.toUpperCase()}
              </a>
            ))}
          </span>
        </span>
      </div>
      {data.error !== null && <ErrorLine>{inWords(data.error)}</ErrorLine>}
      {data.waiting && data.error === null && <Waiting what="the cases" />}
      {empty ? (
        <Empty title="This dataset is empty.">
          Import a CSV, JSON Lines or XLSX file, paste rows, or have a model propose cases from the
          brief. To type them, add a column for each placeholder of the prompt first.
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
      <Overlay
        open={sheet !== null}
        onOpenChange={(o) => !o && setSheet(null)}
        title={sheet ? TITLES[sheet] : ''}
        side={sheet === 'write' || sheet === 'import'}
      >
        {sheet === 'import' && <ImportCases dataset={dataset} />}
        {sheet === 'split' && (
          <SplitForm
            dataset={dataset}
            onDone={() => {
              data.reload()
              setSheet(null)
            }}
          />
        )}
        {sheet === 'write' && <WriteCases dataset={dataset} data={data} />}
        {sheet === 'column' && (
          <AddColumn dataset={dataset} data={data} onDone={() => setSheet(null)} />
        )}
      </Overlay>
      <Overlay
        open={open !== null}
        onOpenChange={(o) => !o && setOpen(null)}
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
    </StageGrid>
  )
}

/** What the view leaves out, and the way back to all of it. */
function Shown({
  view,
  setView,
  total,
  all,
}: {
  view: View
  setView: (v: View) => void
  total: number | null
  all: number
}) {
  const name = (key: string) => (key.startsWith('#') ? key.slice(1) : key)
  const narrowed = view.words !== '' || view.split !== '' || view.where.length > 0
  return (
    <span className="flex min-w-0 flex-wrap items-center gap-2 pb-1.5 text-sm text-soft">
      <span>
        {total === null
          ? ''
          : narrowed
            ? `${count(total)} of ${plural(all, 'case')}`
            : plural(total, 'case')}
      </span>
      {view.where.map((w, i) => (
        <button
          key={i}
          type="button"
          className="max-w-56 truncate rounded-sm border border-attention px-1.5 text-xs text-attention-text"
          title="Take this condition away"
          onClick={() => setView({ ...view, where: view.where.filter((_, j) => j !== i) })}
        >
          {name(w.column)} {TESTS.find(([k]) => k === w.test)?.[1]} {w.value} ×
        </button>
      ))}
    </span>
  )
}
