import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { judgeInstructionsQuery, measuresQuery, saveScorecard, briefKeys } from '@/api/briefs'
import { inWords, Problem } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { Button, Choice, ErrorLine, Field, TextAction, Waiting } from '@/parts/controls'
import { useFrame } from '../../BriefFrame'
import {
  draftOf,
  newRow,
  ParameterError,
  rowOf,
  type Card,
  type DraftRow,
  type DraftThreshold,
  type Measure,
} from './card'
import { MeasureRow } from './MeasureRow'

type Props = { card: Card | undefined; onDone: () => void }

/** A scorecard as a form; saving makes a new one, the former stays with what it scored. */
export function ScorecardForm(props: Props) {
  const measures = useQuery(measuresQuery())
  const instructions = useQuery({ ...judgeInstructionsQuery(), staleTime: Infinity })
  if (measures.isLoadingError) return <ErrorLine>{inWords(measures.error)}</ErrorLine>
  if (!measures.data || !instructions.data) return <Waiting what="the measures" />
  return (
    <Form
      {...props}
      measures={measures.data}
      instructions={Object.fromEntries(instructions.data.map((i) => [i.measure, i.text]))}
    />
  )
}

function Form({
  card,
  onDone,
  measures,
  instructions,
}: Props & { measures: Measure[]; instructions: Record<string, string> }) {
  const { brief } = useFrame()
  const byName = (name: string) => measures.find((m) => m.name === name)
  const [margin, setMargin] = useState(String(card?.margin ?? 0.05))
  const [rows, setRows] = useState<(DraftRow & { id: number })[]>(() =>
    (card?.measures ?? [{ measure: 'exact-match' }]).map((m, id) => ({
      ...draftOf(m, byName(m.measure)),
      id,
    })),
  )
  const [thresholds, setThresholds] = useState<DraftThreshold[]>(() =>
    (card?.thresholds ?? []).map((t) => ({
      measure: t.measure ?? 'total',
      rule: t.at_least === undefined ? 'at_most' : 'at_least',
      value: String(t.at_least ?? t.at_most ?? ''),
    })),
  )
  // The one it is made from: a newer one by somebody else is told, not passed over.
  const [seen] = useState(brief.scorecard?.number ?? null)
  const writing = useWrite(briefKeys(brief.id))
  const problem =
    writing.problem === null
      ? null
      : {
          field: writing.problem instanceof Problem ? (writing.problem.field ?? '') : '',
          text: inWords(writing.problem),
        }
  const names = ['total', ...rows.map((r) => r.name.trim() || r.measure)]
  const save = async () => {
    const built = []
    for (const [at, row] of rows.entries()) {
      try {
        built.push(rowOf(row, byName(row.measure)))
      } catch (error) {
        if (!(error instanceof ParameterError)) throw error
        return writing.setProblem(
          new Problem(422, 'invalid', error.message, `measures.${at}.${error.parameter}`),
        )
      }
    }
    const document = documentOf(built, margin, thresholds)
    await writing.write(async () => {
      await saveScorecard(brief.id, { document, seen })
      onDone()
    })
  }
  const rowProblem = (at: number) => {
    const found = new RegExp(`^measures\\.${at}(?:\\.([^.]+))?`).exec(problem?.field ?? '')
    return found && problem ? { parameter: found[1] ?? null, text: problem.text } : null
  }
  const placed =
    problem &&
    (/^measures\.\d/.test(problem.field) ||
      /^thresholds\.\d/.test(problem.field) ||
      problem.field === 'margin')
  return (
    <div className="mt-3 grid gap-5">
      {rows.map((row, at) => (
        <MeasureRow
          key={row.id}
          row={row}
          measures={measures}
          instruction={instructions[row.measure]}
          problem={rowProblem(at)}
          onChange={(next) =>
            setRows(rows.map((r) => (r.id === row.id ? { ...next, id: row.id } : r)))
          }
          onOut={() => setRows(rows.filter((r) => r.id !== row.id))}
        />
      ))}
      <div>
        <TextAction
          onClick={() => {
            const first = measures[0]
            if (first)
              setRows([
                ...rows,
                { ...newRow(first), id: Math.max(0, ...rows.map((r) => r.id)) + 1 },
              ])
          }}
        >
          Add a measure
        </TextAction>
      </div>
      <section className="grid gap-2 border-t border-rule pt-4">
        <h3 className="text-base">Good enough</h3>
        <p className="text-xs text-soft">
          A threshold is met or missed only when the whole interval of an arm is on one side of it;
          otherwise it is unsure.
        </p>
        {thresholds.map((t, i) => (
          <ThresholdRow
            key={i}
            threshold={t}
            names={names}
            wrong={problem?.field.startsWith(`thresholds.${i}`) ? problem.text : null}
            onChange={(part) =>
              setThresholds(thresholds.map((x, j) => (j === i ? { ...x, ...part } : x)))
            }
            onOut={() => setThresholds(thresholds.filter((_, j) => j !== i))}
          />
        ))}
        <div className="flex items-end gap-6">
          <TextAction
            light
            className="pb-1.5 text-sm"
            onClick={() =>
              setThresholds([...thresholds, { measure: 'total', rule: 'at_least', value: '0.8' }])
            }
          >
            Add a threshold
          </TextAction>
          <Field
            label="Margin: smaller differences do not matter"
            className="w-64"
            value={margin}
            error={problem?.field === 'margin' ? problem.text : null}
            onChange={(e) => setMargin(e.target.value)}
          />
        </div>
      </section>
      {problem && !placed && <ErrorLine>{problem.text}</ErrorLine>}
      {problem && placed && (
        <p role="status" className="text-sm text-harm">
          Not saved: see the field marked above. What you entered is still here.
        </p>
      )}
      <div className="flex gap-3">
        <Button kind="main" onClick={() => void save()}>
          Save as a new scorecard
        </Button>
        <Button kind="quiet" onClick={onDone}>
          Leave as it was
        </Button>
      </div>
    </div>
  )
}

type ThresholdProps = {
  threshold: DraftThreshold
  names: string[]
  wrong: string | null
  onChange: (part: Partial<DraftThreshold>) => void
  onOut: () => void
}

function ThresholdRow({ threshold: t, names, wrong, onChange, onOut }: ThresholdProps) {
  return (
    <div className="flex items-end gap-3">
      <Choice
        label="Threshold for"
        className="w-44"
        value={t.measure}
        onChange={(e) => onChange({ measure: e.target.value })}
      >
        {[...new Set([...names, t.measure])].map((n) => (
          <option key={n}>{n}</option>
        ))}
      </Choice>
      <Choice
        label="is"
        className="w-28"
        value={t.rule}
        onChange={(e) => onChange({ rule: e.target.value as DraftThreshold['rule'] })}
      >
        <option value="at_least">at least</option>
        <option value="at_most">at most</option>
      </Choice>
      <Field
        label="Score"
        className="w-24"
        inputMode="decimal"
        value={t.value}
        error={wrong}
        onChange={(e) => onChange({ value: e.target.value })}
      />
      <Button kind="quiet" onClick={onOut}>
        Take out
      </Button>
    </div>
  )
}

function documentOf(
  measures: Card['measures'],
  margin: string,
  thresholds: DraftThreshold[],
): Card {
  return {
    nomikon: 'scorecard/1',
    margin: Number(margin),
    measures,
    ...(thresholds.length
      ? {
          thresholds: thresholds.map((t) => ({
            measure: t.measure,
            [t.rule]: t.value.trim() === '' ? null : Number(t.value),
          })),
        }
      : {}),
  }
}
