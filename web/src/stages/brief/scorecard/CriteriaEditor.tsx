import { useState } from 'react'
import { Area, Button, Field, TextAction } from '@/parts/controls'
import { Overlay } from '@/parts/overlay'
import type { Criterion } from './card'
import { DraftRubric } from './DraftRubric'

type Props = { value: Criterion[]; error: string | null; onChange: (c: Criterion[]) => void }

/** The criteria of a rubric: what each asks, and a description of each level from worst to best. */
export function CriteriaEditor({ value, error, onChange }: Props) {
  const [drafting, setDrafting] = useState(false)
  const change = (at: number, part: Partial<Criterion>) =>
    onChange(value.map((c, i) => (i === at ? { ...c, ...part } : c)))
  return (
    <section className="grid gap-3">
      <p className="text-xs text-soft">
        criteria: each with its levels from the worst to the best, one a line
      </p>
      {value.map((c, i) => (
        <fieldset key={i} className="grid gap-2 border-l-2 border-rule pl-3">
          <div className="grid grid-cols-[10rem_1fr_4.5rem_auto] items-end gap-2">
            <Field
              label="Criterion"
              value={c.name}
              onChange={(e) => change(i, { name: e.target.value })}
            />
            <Field
              label="Asks"
              value={c.asks ?? ''}
              onChange={(e) => change(i, { asks: e.target.value })}
            />
            <Field
              label="Weight"
              inputMode="decimal"
              value={String(c.weight ?? 1)}
              onChange={(e) => change(i, { weight: Number(e.target.value) || 0 })}
            />
            <Button kind="quiet" onClick={() => onChange(value.filter((_, j) => j !== i))}>
              Remove
            </Button>
          </div>
          <Area
            label={`Levels, 1 to ${c.levels.length}`}
            rows={Math.max(3, c.levels.length)}
            value={c.levels.join('\n')}
            onChange={(e) => change(i, { levels: e.target.value.split('\n') })}
            onBlur={() => change(i, { levels: c.levels.map((l) => l.trim()).filter(Boolean) })}
          />
        </fieldset>
      ))}
      {error && (
        <p role="alert" className="text-xs text-harm">
          {error}
        </p>
      )}
      <div className="flex gap-4 text-sm">
        <TextAction
          light
          onClick={() => onChange([...value, { name: '', asks: '', levels: ['', ''], weight: 1 }])}
        >
          Add a criterion
        </TextAction>
        <TextAction light onClick={() => setDrafting(true)}>
          Have a model draft them…
        </TextAction>
      </div>
      <Overlay open={drafting} onOpenChange={setDrafting} title="A rubric from the brief" side>
        {drafting && (
          <DraftRubric
            onTake={(criteria) => {
              onChange(criteria)
              setDrafting(false)
            }}
          />
        )}
      </Overlay>
    </section>
  )
}
