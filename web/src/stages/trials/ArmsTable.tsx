import { Fragment, useState } from 'react'
import type { Schemas } from '@/api/client'
import { Chooser } from '@/parts/Chooser'
import { IntervalPlot } from '@/parts/IntervalPlot'
import { TextAction } from '@/parts/controls'
import { plural, score } from '@/parts/numbers'
import type { ArmColumn } from './armColumns'
import { ArmWhy } from './ArmWhy'
import { scaleOf, type Sorting } from './arms'
import { useArms } from './useArms'

type Arm = Schemas['ArmOnBoard']
type Trial = Schemas['TrialSummary']

// So many are seen at once; the others fold away under one line.
const SEEN = 6

const LONG_NAME = 18
// On a narrow page the names come first: of the columns so many stay, the others are under *why*.
const ALWAYS = 2
const FOLDS = 'max-[1000px]:hidden'
// The plot beside a score, and the column that holds both.
const WIDE = { width: 130, column: 'w-[15.75rem]' }
const NARROW = { width: 92, column: 'w-[13.25rem]' }
const TIGHT = { width: 52, column: 'w-[10.75rem]' }

type Props = {
  trial: Trial
  chosen: number[]
  onArms: (arms: number[]) => void
}

/** Arms with score and interval and the columns that are chosen; `why` opens what a total is made of. */
export function ArmsTable({ trial, chosen, onArms }: Props) {
  const [unfolded, setUnfolded] = useState(false)
  const [pinned, setPinned] = useState<number[]>([])
  const [why, setWhy] = useState<number | null>(null)
  const table = useArms(trial)
  const ordered = table.order(trial.arms)
  const first = ordered.filter((a) => pinned.includes(a.id))
  const listed = [...first, ...ordered.filter((a) => !pinned.includes(a.id))]
  const rows = unfolded ? listed : listed.slice(0, Math.max(SEEN, pinned.length))
  // Said once where it holds for all of them.
  const simulated = trial.arms.every((a) => a.simulated || a.brought_in)
  const reference = trial.arms.find((a) => a.id === trial.reference)
  const scale = scaleOf(rows)
  // The name comes first: where names are long, the plot makes room.
  const long = rows.some((a) => a.name.length > LONG_NAME)
  const plot = table.shown.length > 4 ? TIGHT : long ? NARROW : WIDE
  const head = (column: HeadProps['column'], className: string) => (
    <HeadButton {...{ column, className }} sorting={table.sorting} onSort={table.setSorting} />
  )
  return (
    <section aria-label="Arms" className="mb-3">
      <div className="overflow-x-auto">
        <table className="w-full text-sm" style={{ minWidth: leastWidth(table.shown.length) }}>
          <caption className="sr-only">Arms of this trial.</caption>
          <thead>
            <tr className="border-b border-rule-strong text-left align-bottom text-xs text-soft">
              {head({ key: 'name', title: 'Arm', down: false }, '')}
              {head({ key: 'mean', title: 'Score, 95 % interval', down: true }, plot.column)}
              {table.shown.map((c, i) => (
                <Fragment key={c.key}>
                  {head(c, `${c.width} ${c.right ? 'text-right' : ''} ${i < ALWAYS ? '' : FOLDS}`)}
                </Fragment>
              ))}
              <th className="w-14 pb-1 text-right font-normal">
                <ColumnChoice all={table.all} shown={table.shown} onChange={table.setColumns} />
              </th>
            </tr>
          </thead>
          <tbody>
            {rows.map((arm) => (
              <Fragment key={arm.id}>
                <ArmRow
                  arm={arm}
                  columns={table.shown}
                  own={table.own.get(arm.id)}
                  scale={scale}
                  width={plot.width}
                  simulated={arm.simulated && !simulated}
                  pinned={pinned.includes(arm.id)}
                  onPin={() =>
                    setPinned(
                      pinned.includes(arm.id)
                        ? pinned.filter((x) => x !== arm.id)
                        : [...pinned, arm.id],
                    )
                  }
                  onAlone={() =>
                    onArms(chosen.length === 1 && chosen[0] === arm.id ? [] : [arm.id])
                  }
                  open={why === arm.id}
                  onWhy={() => setWhy(why === arm.id ? null : arm.id)}
                />
                {why === arm.id && (
                  <tr>
                    <td
                      colSpan={table.shown.length + 3}
                      className="border-b border-rule bg-sheet px-3 py-2"
                    >
                      <ArmWhy
                        arm={arm}
                        trial={trial}
                        full={table.full}
                        reference={reference ?? listed.find((a) => a.id !== arm.id)}
                      />
                    </td>
                  </tr>
                )}
              </Fragment>
            ))}
          </tbody>
        </table>
      </div>
      {listed.length > rows.length && (
        <TextAction light className="mt-1 text-xs" onClick={() => setUnfolded(true)}>
          {plural(listed.length - rows.length, 'more arm')}
        </TextAction>
      )}
      {unfolded && listed.length > SEEN && (
        <TextAction light className="mt-1 text-xs" onClick={() => setUnfolded(false)}>
          the first {SEEN} only
        </TextAction>
      )}
    </section>
  )
}

/** The usual columns fit; more of them scroll to the side. */
function leastWidth(columns: number): string | undefined {
  return columns > 5 ? `${26 + columns * 5}rem` : undefined
}

type RowProps = {
  arm: Arm
  columns: ArmColumn[]
  own: Schemas['ArmInFull'] | undefined
  scale: [number, number]
  width: number
  simulated: boolean
  pinned: boolean
  onPin: () => void
  onAlone: () => void
  open: boolean
  onWhy: () => void
}

function ArmRow(props: RowProps) {
  const { arm, columns, own, scale, width, simulated, pinned, onPin, onAlone, open, onWhy } = props
  return (
    <tr className="border-b border-rule">
      <td className="max-w-0 py-0.5">
        <span className="flex items-baseline gap-2">
          <button
            type="button"
            aria-pressed={pinned}
            title={pinned ? 'Let it go' : 'Keep it on top'}
            onClick={onPin}
            className="w-5 shrink-0 text-left font-mono text-xs text-soft hover:text-ink aria-pressed:font-semibold aria-pressed:text-action"
          >
            {arm.letter}
          </button>
          <button
            type="button"
            title={`${arm.in_words}, ${arm.settings_short}: press to look at it alone`}
            onClick={onAlone}
            className="min-w-0 truncate text-left font-semibold hover:underline"
          >
            {arm.name}
          </button>
          {(simulated || arm.brought_in) && (
            <span
              className="shrink-0 text-2xs text-inform"
              title={simulated ? 'A simulated model' : 'Answers from elsewhere, never asked'}
            >
              {simulated ? 'sim.' : 'brought in'}
            </span>
          )}
        </span>
      </td>
      <td>
        <ScoreCell arm={arm} scale={scale} width={width} />
      </td>
      {columns.map((c, i) => (
        <td
          key={c.key}
          className={`text-xs ${c.right ? 'text-right font-mono' : ''} ${i < ALWAYS ? '' : FOLDS}`}
        >
          {c.cell(arm, own)}
        </td>
      ))}
      <td className="text-right text-xs">
        <TextAction
          light
          aria-expanded={open}
          aria-label={`Why ${arm.name} scores so`}
          onClick={onWhy}
        >
          why
        </TextAction>
      </td>
    </tr>
  )
}

type ChoiceProps = { all: ArmColumn[]; shown: ArmColumn[]; onChange: (keys: string[]) => void }

/** Which columns stand beside the score. */
function ColumnChoice({ all, shown, onChange }: ChoiceProps) {
  const keys = shown.map((c) => c.key)
  return (
    <Chooser label="Columns" words="columns">
      <div className="grid gap-1 text-left">
        {all.map((c) => (
          <label key={c.key} className="flex items-baseline gap-2">
            <input
              type="checkbox"
              checked={keys.includes(c.key)}
              onChange={() =>
                onChange(
                  all
                    .map((other) => other.key)
                    .filter((k) => (k === c.key ? !keys.includes(k) : keys.includes(k))),
                )
              }
            />
            <span className="min-w-0 break-words">{c.told}</span>
          </label>
        ))}
      </div>
    </Chooser>
  )
}

type HeadProps = {
  column: Pick<ArmColumn, 'key' | 'title' | 'down'>
  className: string
  sorting: Sorting
  onSort: (s: Sorting) => void
}

function HeadButton({ column, className, sorting, onSort }: HeadProps) {
  const on = sorting.by === column.key
  return (
    <th
      className={`py-1 font-semibold ${className}`}
      aria-sort={on ? (sorting.down ? 'descending' : 'ascending') : 'none'}
    >
      <button
        type="button"
        className="max-w-full truncate hover:text-ink"
        title={`Sort by ${column.title}`}
        onClick={() => onSort({ by: column.key, down: on ? !sorting.down : column.down })}
      >
        {column.title}
        {on && <span aria-hidden> {sorting.down ? '↓' : '↑'}</span>}
      </button>
    </th>
  )
}

function ScoreCell({ arm, scale, width }: { arm: Arm; scale: [number, number]; width: number }) {
  if (arm.mean === null || arm.low === null || arm.high === null)
    return (
      <span className="text-xs text-soft">
        {arm.n ? 'no score yet' : 'nothing yet'}
        {dropped(arm)}
      </span>
    )
  return (
    <span className="flex items-center gap-2">
      <IntervalPlot
        mean={arm.mean}
        low={arm.low}
        high={arm.high}
        width={width}
        from={scale[0]}
        to={scale[1]}
      />
      <span className="font-mono text-xs whitespace-nowrap">
        <span className="text-sm font-semibold">{score(arm.mean)}</span>{' '}
        <span className="text-soft">
          {score(arm.low)}–{score(arm.high)}
        </span>
      </span>
      {dropped(arm)}
    </span>
  )
}

function dropped(arm: Arm) {
  if (!arm.dropped) return null
  return (
    <span
      className="truncate text-xs text-soft"
      title={`one-sided p ${arm.dropped.p.toPrecision(2)}`}
    >
      {' '}
      lost to {arm.dropped.against}, {arm.dropped.cases} cases
    </span>
  )
}
