import { Area } from '@/parts/controls'
import type { WorkingCopy } from '../workingCopy'

type Alone = {
  messages: WorkingCopy['messages']
  inputs: Record<string, unknown>
  /** The steps before it whose answers it reads. */
  reads: string[]
}

const READS = /\{\{\{?\s*steps\.([^{}]+?)\s*\}?\}\}/g

/** A step's own messages as a text of one call; what it reads of other steps becomes inputs. */
export function alone(copy: WorkingCopy, step: string, known: Record<string, string>): Alone {
  const own = copy.messages.filter((m) => m.step === step || m.step === null)
  const reads = [
    ...new Set(own.flatMap((m) => [...m.content.matchAll(READS)].map((found) => found[1] ?? ''))),
  ]
  return {
    messages: own.map((m) => ({ ...m, step: null })),
    inputs: { steps: Object.fromEntries(reads.map((name) => [name, known[name] ?? ''])) },
    reads,
  }
}

type ChoiceProps = { steps: string[]; step: string; onStep: (step: string) => void }

/** All steps one after the other, or one of them alone. */
export function StepChoice({ steps, step, onStep }: ChoiceProps) {
  if (steps.length < 2) return null
  return (
    <label className="flex items-center gap-2">
      Steps
      <select
        aria-label="Steps"
        className="h-7 min-w-0 rounded-sm border border-rule-strong bg-sheet px-1"
        value={step}
        onChange={(e) => onStep(e.target.value)}
      >
        <option value="">all, one after the other</option>
        {steps.map((s) => (
          <option key={s} value={s}>
            “{s}” alone
          </option>
        ))}
      </select>
    </label>
  )
}

type InputsProps = {
  reads: string[]
  values: Record<string, string>
  onChange: (values: Record<string, string>) => void
}

/** What a step that is asked alone takes for the answers of the steps before it. */
export function StepInputs({ reads, values, onChange }: InputsProps) {
  return (
    <div className="mb-3 grid gap-2">
      {reads.map((name) => (
        <Area
          key={name}
          label={`What step “${name}” answered`}
          rows={3}
          dir="auto"
          value={values[name] ?? ''}
          onChange={(e) => onChange({ ...values, [name]: e.target.value })}
        />
      ))}
    </div>
  )
}
