import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { armLabelsQuery } from '@/api/trials'
import { Choice, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { plural, rampStep, score } from '@/parts/numbers'
import { rampColours } from '@/parts/ramp'

type Trial = Schemas['TrialSummary']
type Labels = Schemas['LabelsShape']
type Cell = { row: number; column: number }
type Props = {
  trial: Trial
  onOpen: (output: number) => void
  /** These answers become what the board shows: an arm, and the cell as the address has it. */
  onSelect: (arm: number, cell: string) => void
}

/** An arm's answers as labels: which were wanted, which came, and the cases behind each count. */
export function LabelsView({ trial, onOpen, onSelect }: Props) {
  const best = [...trial.arms].sort((a, b) => (b.mean ?? -1) - (a.mean ?? -1))[0]
  const [arm, setArm] = useState(best?.id ?? 0)
  const [field, setField] = useState<string | null>(null)
  const [cell, setCell] = useState<Cell | null>(null)
  const found = useQuery({
    ...armLabelsQuery(trial.id, arm, field === null ? {} : { field }),
    placeholderData: (former) => former,
    retry: false,
  })
  const l = found.data
  const outputs = cell
    ? (l?.cells.find((c) => c.row === cell.row && c.column === cell.column)?.outputs ?? [])
    : []
  return (
    <div className="grid gap-4 text-sm">
      <div className="flex items-end gap-3">
        <Choice
          label="Arm"
          value={arm}
          onChange={(e) => {
            setArm(Number(e.target.value))
            setCell(null)
          }}
        >
          {trial.arms.map((a) => (
            <option key={a.id} value={a.id}>
              {a.in_words}, {a.settings_short}
            </option>
          ))}
        </Choice>
        {l && l.choices.length > 1 && (
          <Choice
            label="Label"
            value={l.field}
            onChange={(e) => {
              setField(e.target.value)
              setCell(null)
            }}
          >
            {l.choices.map((f) => (
              <option key={f}>{f}</option>
            ))}
          </Choice>
        )}
      </div>
      {found.isPending && <Waiting what="the labels" />}
      {found.isError && <ErrorLine>{inWords(found.error)}</ErrorLine>}
      {l && !found.isError && (
        <>
          <p>
            Accuracy <strong className="font-mono">{score(l.accuracy)}</strong>{' '}
            {between(l.accuracy_interval)}, macro-F1{' '}
            <strong className="font-mono">{score(l.macro_f1)}</strong>{' '}
            {between(l.macro_f1_interval)}{' '}
            <span className="text-soft">
              over{' '}
              {plural(
                l.matrix.flat().reduce((a, b) => a + b, 0),
                'answer',
              )}
              ; failed calls are left out
            </span>
          </p>
          <div className="overflow-x-auto">
            <LabelMatrix labels={l} cell={cell} onCell={setCell} />
          </div>
          {cell && (
            <CellAnswers
              labels={l}
              cell={cell}
              outputs={outputs}
              repeats={trial.repeats}
              onOpen={onOpen}
              onSelect={() =>
                onSelect(
                  arm,
                  JSON.stringify([arm, l.field, l.rows[cell.row], l.columns[cell.column]]),
                )
              }
            />
          )}
        </>
      )}
    </div>
  )
}

/** A 95 % interval in figures; nothing where nothing varies. */
function between(interval: number[] | null) {
  if (!interval) return null
  return (
    <span className="font-mono text-xs text-soft">
      {score(interval[0])}–{score(interval[1])}
    </span>
  )
}

type MatrixProps = { labels: Labels; cell: Cell | null; onCell: (c: Cell) => void }

function LabelMatrix({ labels, cell, onCell }: MatrixProps) {
  return (
    <table className="border-separate border-spacing-0.5">
      <caption className="pb-1 text-left text-xs text-soft">
        Rows: the label wanted. Columns: the label given. Press a count for its cases.
      </caption>
      <thead>
        <tr>
          <th />
          {labels.columns.map((c) => (
            <th
              key={c}
              scope="col"
              className="h-20 w-11 align-bottom text-xs font-normal text-soft"
            >
              <span className="inline-block max-h-20 truncate [writing-mode:vertical-rl] rotate-180">
                {c}
              </span>
            </th>
          ))}
          <th className="px-2 text-right align-bottom text-xs font-normal text-soft">precision</th>
          <th className="px-2 text-right align-bottom text-xs font-normal text-soft">recall</th>
          <th className="px-2 text-right align-bottom text-xs font-normal text-soft">F1</th>
          <th className="text-left align-bottom text-xs font-normal text-soft">95 %</th>
        </tr>
      </thead>
      <tbody>
        {labels.rows.map((label, r) => (
          <tr key={label}>
            <th scope="row" className="max-w-40 truncate pr-2 text-left text-xs font-normal">
              {label} <span className="font-mono text-soft">{labels.per_label[r]?.n}</span>
            </th>
            {labels.columns.map((column, c) => {
              const n = labels.matrix[r]?.[c] ?? 0
              const share = n / Math.max(1, labels.per_label[r]?.n ?? 1)
              const chosen = cell?.row === r && cell.column === c
              return (
                <td key={column} className="p-0">
                  {n === 0 ? (
                    <span className="block h-8 w-11 border border-rule" />
                  ) : (
                    <button
                      type="button"
                      aria-pressed={chosen}
                      aria-label={`${n} answers: ${label} wanted, ${column} given`}
                      onClick={() => onCell({ row: r, column: c })}
                      className={`block h-8 w-11 font-mono text-xs ${r === c ? '' : 'border border-harm'} aria-pressed:outline-2 aria-pressed:outline-ink`}
                      style={r === c ? rampColours(rampStep(share)) : undefined}
                    >
                      {n}
                    </button>
                  )}
                </td>
              )
            })}
            {(['precision', 'recall', 'f1'] as const).map((k) => (
              <td key={k} className="px-2 text-right font-mono text-xs">
                {score(labels.per_label[r]?.[k])}
              </td>
            ))}
            <td className="text-xs whitespace-nowrap">
              {between(labels.per_label[r]?.f1_interval ?? null)}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

type AnswersProps = {
  labels: Labels
  cell: Cell
  outputs: Labels['cells'][number]['outputs']
  repeats: number
  onOpen: (output: number) => void
  onSelect: () => void
}

/** The answers behind one count. */
function CellAnswers({ labels, cell, outputs, repeats, onOpen, onSelect }: AnswersProps) {
  return (
    <div>
      <h3 className="font-serif text-base font-semibold">
        {plural(outputs.length, 'answer')}: “{labels.rows[cell.row]}” wanted, “
        {labels.columns[cell.column]}” given
      </h3>
      <p className="mt-1">
        <TextAction light onClick={onSelect}>
          Work through them on the board
        </TextAction>
      </p>
      <p className="mt-1 flex flex-wrap gap-x-3 gap-y-1">
        {outputs.map((o) => (
          <button
            key={o.output}
            type="button"
            className="text-action underline underline-offset-2"
            onClick={() => onOpen(o.output)}
          >
            case {o.case}
            {repeats > 1 && `, repeat ${o.repeat + 1}`}
            {cell.column >= labels.rows.length && o.said ? ` (“${o.said}”)` : ''}
          </button>
        ))}
      </p>
    </div>
  )
}
