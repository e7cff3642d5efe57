import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { judgeInstructionsQuery, measuresQuery } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { firstScorecardQuery } from '@/api/wishes'
import { Button, Choice, ErrorLine, Field, TextAction, Waiting } from '@/parts/controls'
import { Note } from '@/parts/Margin'
import { Meanwhile } from '@/parts/Meanwhile'
import { plural } from '@/parts/numbers'
import { useFrame } from '../../frame'
import { BEGINNINGS, newRow, type Card, type DraftThreshold, type Measure } from './card'
import { MeasureRow } from './MeasureRow'
import { useCardForm, type Kept } from './useCardForm'

/** Kinds of task whose answers are held to what they were given. */
const TOLD: Record<string, string> = {
  summarise: 'A summary',
  extract: 'What is extracted',
  rewrite: 'A rewritten text',
}

/** also: the name of a measure that is added to it. */
type Props = { card: Card | undefined; also: string | null; onDone: () => void }
type First = Schemas['ProposedMeasureShape'][]

/** A scorecard as a form; saving makes a new one, the former stays with what it scored. */
export function ScorecardForm(props: Props) {
  const measures = useQuery(measuresQuery())
  const instructions = useQuery({ ...judgeInstructionsQuery(), staleTime: Infinity })
  const { brief } = useFrame()
  const first = useQuery({ ...firstScorecardQuery(brief.id), enabled: !props.card })
  if (!props.card && first.isPending) return <Waiting what="the prompt and the references" />
  if (measures.isLoadingError) return <ErrorLine>{inWords(measures.error)}</ErrorLine>
  if (!measures.data || !instructions.data) return <Waiting what="the measures" />
  return (
    <Form
      {...props}
      first={first.data ?? []}
      measures={measures.data}
      instructions={Object.fromEntries(instructions.data.map((i) => [i.measure, i.text]))}
    />
  )
}

function Form({
  card,
  also,
  onDone,
  first,
  measures,
  instructions,
}: Props & { first: First; measures: Measure[]; instructions: Record<string, string> }) {
  const { brief } = useFrame()
  const { kept, set, names, problem, now, mine, save, leave } = useCardForm(
    brief,
    card,
    measures,
    first.map((f) => f.measure as { measure: string }),
    also,
    onDone,
  )
  const { margin, rows, thresholds, beginning } = kept
  const added = useLanding()
  const setRows = (next: Kept['rows']) => set({ rows: next })
  const setThresholds = (next: Kept['thresholds']) => set({ thresholds: next })
  const setMargin = (next: string) => set({ margin: next })
  const add = (measure: Measure | undefined) => {
    if (measure)
      setRows([...rows, { ...newRow(measure), id: Math.max(0, ...rows.map((r) => r.id)) + 1 }])
  }
  const faithful = measures.find((m) => m.name === 'faithful')
  const needsFaithful =
    brief.task in TOLD &&
    !rows.some((r) => r.measure === 'faithful' || r.measure === 'faithful-judge')
  const rowProblem = (at: number) => {
    const found = new RegExp(`^measures\\.${at}(?:\\.([^.]+))?`).exec(problem?.field ?? '')
    return found && problem ? { parameter: found[1] ?? null, text: problem.text } : null
  }
  const placed =
    problem &&
    (/^measures\.\d/.test(problem.field) ||
      /^thresholds\.\d/.test(problem.field) ||
      problem.field === 'margin' ||
      problem.field.startsWith('answer'))
  return (
    <div className="mt-3 grid gap-5">
      {first.length > 0 && (
        <Note tone="inform" title={`${plural(first.length, 'measure')} proposed`}>
          {first.map((f) => (
            <p key={JSON.stringify(f.measure)}>
              <span className="font-sans text-xs font-semibold">
                {String(f.measure['measure'])}
              </span>
              : {f.why}.
            </p>
          ))}
          <p>None of them tells whether an answer is true, or of its tone.</p>
        </Note>
      )}
      {rows.map((row, at) => (
        <MeasureRow
          key={row.id}
          ref={row.measure === also ? added : undefined}
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
        <TextAction onClick={() => add(measures[0])}>Add a measure</TextAction>
      </div>
      {needsFaithful && (
        <Note title="Proposed: faithful">
          {TOLD[brief.task]} must say nothing that its input does not hold. This measure looks for
          numbers, times, dates, names and quotations that are not there.{' '}
          <TextAction onClick={() => add(faithful)}>Add it</TextAction>
        </Note>
      )}
      <AnswerBegins
        value={beginning}
        wrong={problem?.field.startsWith('answer') ? problem.text : null}
        onChange={(part) => set({ beginning: { ...beginning, ...part } })}
      />
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
      {now && (
        <Meanwhile
          now={{ document: JSON.stringify(now.document, null, 2) }}
          mine={{ document: JSON.stringify(mine, null, 2) }}
          names={{ document: 'Scorecard' }}
          onMine={() => void save(now.scorecard as number)}
          onTheirs={leave}
        />
      )}
      {problem && !placed && !now && <ErrorLine>{problem.text}</ErrorLine>}
      {problem && placed && (
        <p role="status" className="text-sm text-harm">
          Not saved: see the field marked above. What you entered is still here.
        </p>
      )}
      <div className="flex gap-3">
        <Button kind="main" onClick={() => void save()}>
          Save as a new scorecard
        </Button>
        <Button kind="quiet" onClick={leave}>
          Leave as it was
        </Button>
      </div>
    </div>
  )
}

/** Who came to add a measure lands at it. */
function useLanding() {
  const at = useRef<HTMLFieldSetElement>(null)
  useEffect(() => {
    at.current?.scrollIntoView({ block: 'center' })
  }, [])
  return at
}

type BeginsProps = {
  value: Kept['beginning']
  wrong: string | null
  onChange: (part: Partial<Kept['beginning']>) => void
}

/** Which part of what a model sends is its answer; one choice for all measures. */
function AnswerBegins({ value, wrong, onChange }: BeginsProps) {
  return (
    <section className="grid gap-2 border-t border-rule pt-4">
      <h3 className="text-base">Where the answer begins</h3>
      <p className="text-xs text-soft">
        Every measure but a judge reads this part of what the model sends; without it the answer
        scores 0.
      </p>
      <div className="flex items-start gap-4">
        <Choice
          label="The answer is"
          className="w-52"
          value={value.begins}
          onChange={(e) => onChange({ begins: e.target.value })}
        >
          {BEGINNINGS.map(([name, words]) => (
            <option key={name} value={name}>
              {words}
            </option>
          ))}
        </Choice>
        {value.begins === 'mark' && (
          <Field
            label="The mark, as the model writes it"
            className="w-64"
            placeholder="Answer:"
            value={value.mark}
            error={wrong}
            onChange={(e) => onChange({ mark: e.target.value })}
          />
        )}
      </div>
    </section>
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
        Remove
      </Button>
    </div>
  )
}
