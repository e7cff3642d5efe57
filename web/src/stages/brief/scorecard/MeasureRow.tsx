import { useState, type Ref } from 'react'
import { Button, Choice, Field, TextAction } from '@/parts/controls'
import { hintOf, newRow, type DraftRow, type Measure } from './card'
import { ParameterField } from './ParameterField'

type Props = {
  ref?: Ref<HTMLFieldSetElement> | undefined
  row: DraftRow
  measures: Measure[]
  instruction: string | undefined
  problem: { parameter: string | null; text: string } | null
  onChange: (row: DraftRow) => void
  onOut: () => void
}

/** One measure of a scorecard: which, its weight, whether it is a gate, and its parameters. */
export function MeasureRow({ ref, row, measures, instruction, problem, onChange, onOut }: Props) {
  const [more, setMore] = useState(row.turn !== '')
  const known = measures.find((m) => m.name === row.measure)
  const about = (name: string) => (problem?.parameter === name ? problem.text : null)
  const orphan =
    problem &&
    (problem.parameter === null || !(problem.parameter in row.raw)) &&
    problem.parameter !== 'weight' &&
    problem.parameter !== 'name'
  return (
    <fieldset ref={ref} className="grid gap-2.5 border-l-2 border-rule-strong pl-4">
      <div className="grid grid-cols-[11rem_1fr_5rem_4.5rem_auto] items-end gap-3">
        <Choice
          label="Measure"
          value={row.measure}
          onChange={(e) => {
            const next = measures.find((m) => m.name === e.target.value)
            if (next) onChange({ ...newRow(next), weight: row.weight, gate: row.gate })
          }}
        >
          {[...new Set(measures.map((m) => m.family))].map((family) => (
            <optgroup key={family} label={family}>
              {measures
                .filter((m) => m.family === family)
                .map((m) => (
                  <option key={m.name}>{m.name}</option>
                ))}
            </optgroup>
          ))}
        </Choice>
        <Field
          label="Name"
          placeholder={row.measure}
          value={row.name}
          error={about('name')}
          onChange={(e) => onChange({ ...row, name: e.target.value })}
        />
        <Field
          label="Weight"
          inputMode="decimal"
          value={row.weight}
          error={about('weight')}
          onChange={(e) => onChange({ ...row, weight: e.target.value })}
        />
        <label
          className="flex h-8 items-center gap-2 text-sm"
          title="What must pass and does not makes the total 0"
        >
          <input
            type="checkbox"
            checked={row.gate}
            onChange={(e) => onChange({ ...row, gate: e.target.checked })}
          />
          Must pass
        </label>
        <Button kind="quiet" onClick={onOut}>
          Remove
        </Button>
      </div>
      {known && (
        <p className="text-xs text-soft">
          {known.description}{' '}
          {known.needs_reference &&
            'Without a reference it gives no score, and the total is missing. '}
          {known.judged && 'A model judges: every answer costs a call, told before it is made. '}
          {known.example.score !== null && (
            <>
              For instance “{known.example.output}”
              {known.example.reference !== null && <> against “{known.example.reference}”</>} scores{' '}
              {known.example.score.toFixed(2)}
              {Object.keys(known.example.parameters).length > 0 && !known.judged && (
                <>
                  {' '}
                  with{' '}
                  <span className="font-mono break-all">
                    {JSON.stringify(known.example.parameters)}
                  </span>
                </>
              )}
              .
            </>
          )}
        </p>
      )}
      {Object.entries(row.raw).map(([name, raw]) => (
        <ParameterField
          key={`${row.measure} ${name}`}
          name={name}
          what={known?.parameters[name] ?? 'not known to this measure'}
          sort={known?.sorts[name] ?? { sort: 'json', options: [], default: false }}
          raw={raw}
          hint={hintOf(known, name)}
          error={about(name)}
          fallback={name === 'instruction' ? instruction : undefined}
          onChange={(next) => onChange({ ...row, raw: { ...row.raw, [name]: next } })}
        />
      ))}
      {more ? (
        <Field
          label="Turn of a conversation: last, all, or its number"
          className="w-72"
          placeholder={known?.judged ? 'all' : 'last'}
          value={row.turn}
          error={about('turn')}
          onChange={(e) => onChange({ ...row, turn: e.target.value })}
        />
      ) : (
        <div>
          <TextAction light className="text-xs" onClick={() => setMore(true)}>
            For conversations: which turn it looks at…
          </TextAction>
        </div>
      )}
      {orphan && (
        <p role="alert" className="text-xs text-harm">
          {problem.text}
        </p>
      )}
    </fieldset>
  )
}
