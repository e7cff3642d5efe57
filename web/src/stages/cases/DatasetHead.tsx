import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { briefKeys } from '@/api/briefs'
import type { Schemas } from '@/api/client'
import { tiedQuery, tieDataset } from '@/api/datasets'
import { useWrite } from '@/api/useWrite'
import { Button, Choice, Field, TextAction } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { useFrame } from '../frame'
import { DatasetChoice } from './DatasetChoice'
import type { Sheet } from './DatasetSheets'
import { Taken } from './Conditions'
import { conditionInWords, planOfThese } from './conditions'
import type { View } from './grid/useGrid'
import { TakeBack } from './TakeBack'

type Props = {
  dataset: Schemas['DatasetShape']
  choose: (id: number) => void
  view: View
  setView: (v: View) => void
  /** How many cases the view shows; null until that is known. */
  total: number | null
  onSheet: (sheet: Sheet) => void
}

/** Which cases are shown, and what can be done with all of them. */
export function DatasetHead({ dataset, choose, view, setView, total, onSheet }: Props) {
  const { brief } = useFrame()
  const all = dataset.working + dataset.held_out
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <h1 className="min-w-0 text-xl break-words">
          <DatasetChoice dataset={dataset} choose={choose} />
        </h1>
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
        <TakeBack dataset={dataset} />
        <TiedTo dataset={dataset} onAgain={() => onSheet('again')} />
        <span className="ml-auto flex flex-wrap justify-end gap-2">
          <Button
            onClick={() => onSheet('split')}
            lacks={[all < 2 && 'it needs two cases: one to work with, one to hold out']}
          >
            Hold out at random…
          </Button>
          <Button onClick={() => onSheet('write')}>Propose cases…</Button>
          <Button kind="main" onClick={() => onSheet('import')}>
            Import cases…
          </Button>
        </span>
      </div>
      <div className="mt-3 flex flex-wrap items-end gap-x-4 gap-y-2 border-b border-rule pb-2">
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
        <Shown {...{ view, setView, total, all }} brief={brief.id} />
        <span className="ml-auto flex items-center gap-3 pb-1.5 text-sm whitespace-nowrap text-soft">
          <Link
            className="text-soft underline underline-offset-2 hover:text-ink"
            title="Answers by hand or of the system of today, to hold versions against"
            to={`/briefs/${brief.id}/cases?dataset=${dataset.id}&answers=`}
          >
            Answers from elsewhere…
          </Link>
          <Link
            className="text-soft underline underline-offset-2 hover:text-ink"
            title="What is right, written case by case, by one person or by two"
            to={`/briefs/${brief.id}/cases?dataset=${dataset.id}&references=`}
          >
            References…
          </Link>
          <TextAction light onClick={() => onSheet('column')}>
            Columns…
          </TextAction>
          <span className="flex items-center gap-1.5">
            Take along
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
    </>
  )
}

/** The file it is read from, told where it was changed since, and the press that reads it again. */
function TiedTo({ dataset, onAgain }: { dataset: Schemas['DatasetShape']; onAgain: () => void }) {
  const { brief } = useFrame()
  const found = useQuery(tiedQuery(dataset.id, dataset.tied))
  const { write } = useWrite([...briefKeys(brief.id)])
  if (!dataset.tied || !found.data) return null
  const untie = () =>
    void write(async () => {
      await tieDataset(dataset.id, { how: null })
    })
  return (
    <span className="flex min-w-0 flex-wrap items-baseline gap-x-2 text-sm text-soft">
      <span className="max-w-60 truncate" title={dataset.tied}>
        {dataset.tied}
      </span>
      {found.data.missing ? (
        <span className="text-attention-text">is not there any more</span>
      ) : (
        <>
          {found.data.changed && <span className="text-attention-text">changed since</span>}
          <TextAction onClick={onAgain}>Read it again</TextAction>
        </>
      )}
      <TextAction light onClick={untie}>
        Untie
      </TextAction>
    </span>
  )
}

/** What the view leaves out, and the way back to all of it. */
function Shown({
  view,
  setView,
  total,
  all,
  brief,
}: {
  view: View
  setView: (v: View) => void
  total: number | null
  all: number
  brief: number
}) {
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
        <Taken
          key={i}
          told={conditionInWords(w)}
          take={() => setView({ ...view, where: view.where.filter((_, j) => j !== i) })}
        />
      ))}
      {narrowed && (total ?? 0) > 0 && (
        <Link className="text-action underline underline-offset-2" to={planOfThese(brief, view)}>
          Run a trial on these…
        </Link>
      )}
    </span>
  )
}
