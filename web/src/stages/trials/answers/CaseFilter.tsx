import { useEffect, useRef, useState } from 'react'
import { Choice, Field, TextAction } from '@/parts/controls'
import { EVERYTHING, OUTCOMES, type Selection } from './selection'

type Props = {
  selection: Selection
  onChange: (part: Partial<Selection>) => void
  tags: string[]
  labels: string[]
  measures: string[]
  repeats: number
}

// What is typed is asked for once a person pauses.
const PAUSE_MS = 300

/** Which cases are looked at, by what stands in them and how they were answered. */
export function CaseFilter({ selection: s, onChange, tags, labels, measures, repeats }: Props) {
  const [typed, setTyped] = useState({ words: s.words, low: s.low, high: s.high })
  const latest = useRef({ onChange, typed, s })
  useEffect(() => {
    latest.current = { onChange, typed, s }
  })
  const put = () => {
    const { onChange: change, typed: now, s: there } = latest.current
    if (now.words !== there.words || now.low !== there.low || now.high !== there.high) change(now)
  }
  useEffect(() => {
    const timer = window.setTimeout(put, PAUSE_MS)
    return () => window.clearTimeout(timer)
  }, [typed])
  // What was typed last is asked for, too, where the chooser is closed before the pause is over.
  useEffect(() => put, [])
  return (
    <div className="grid gap-2.5">
      <Field
        label="Words in an answer, an input or what is wanted"
        value={typed.words}
        onChange={(e) => setTyped({ ...typed, words: e.target.value })}
      />
      {tags.length > 0 && (
        <Pick
          label="Tag"
          none="any"
          options={tags}
          value={s.tag}
          onPick={(tag) => onChange({ tag })}
        />
      )}
      {labels.length > 0 && (
        <Pick
          label="Wanted label"
          none="any"
          options={labels}
          value={s.label}
          onPick={(label) => onChange({ label })}
        />
      )}
      <Choice
        label="What came"
        value={s.outcome}
        onChange={(e) => onChange({ outcome: e.target.value })}
      >
        {Object.entries(OUTCOMES).map(([key, words]) => (
          <option key={key} value={key}>
            {words}
          </option>
        ))}
      </Choice>
      <div className="flex items-end gap-2">
        <Choice
          label="Score by"
          className="min-w-0 flex-1"
          value={s.measure}
          onChange={(e) => onChange({ measure: e.target.value })}
        >
          <option value="">total</option>
          {measures.map((m) => (
            <option key={m}>{m}</option>
          ))}
        </Choice>
        <Field
          label="from"
          className="w-16"
          inputMode="decimal"
          placeholder="0"
          value={typed.low}
          onChange={(e) => setTyped({ ...typed, low: e.target.value })}
        />
        <Field
          label="to"
          className="w-16"
          inputMode="decimal"
          placeholder="1"
          value={typed.high}
          onChange={(e) => setTyped({ ...typed, high: e.target.value })}
        />
      </div>
      <Tick words="arms score differently" on={s.differ} set={(differ) => onChange({ differ })} />
      <Tick words="arms score alike" on={s.alike} set={(alike) => onChange({ alike })} />
      {repeats > 1 && (
        <Tick
          words="repeats of an arm disagree"
          on={s.repeatsDiffer}
          set={(repeatsDiffer) => onChange({ repeatsDiffer })}
        />
      )}
      <p className="border-t border-rule pt-2 text-xs text-soft">
        What is asked of an answer is asked of one answer of the chosen arms.{' '}
        <TextAction
          light
          onClick={() => {
            setTyped({ words: '', low: '', high: '' })
            onChange({
              ...EVERYTHING,
              arms: s.arms,
              order: s.order,
              turned: s.turned,
              mark: s.mark,
            })
          }}
        >
          Ask nothing
        </TextAction>
      </p>
    </div>
  )
}

type PickProps = {
  label: string
  none: string
  options: string[]
  value: string
  onPick: (value: string) => void
}

function Pick({ label, none, options, value, onPick }: PickProps) {
  return (
    <Choice label={label} value={value} onChange={(e) => onPick(e.target.value)}>
      <option value="">{none}</option>
      {[...new Set([...options, ...(value ? [value] : [])])].map((o) => (
        <option key={o}>{o}</option>
      ))}
    </Choice>
  )
}

function Tick({ words, on, set }: { words: string; on: boolean; set: (on: boolean) => void }) {
  return (
    <label className="flex items-center gap-2">
      <input type="checkbox" checked={on} onChange={(e) => set(e.target.checked)} />
      {words}
    </label>
  )
}
