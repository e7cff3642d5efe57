import type { Schemas } from '@/api/client'
import { Choice, Field } from '@/parts/controls'

/** On which cases a trial runs, and how. */
export type Run = {
  dataset: number
  split: string
  repeats: string
  budget: string
  continuations: string
  userModel: number | null
  fresh: boolean
  racing: boolean
  /** The arm that the others are held against: version, model and row of settings; "" the usual. */
  reference: string
}

type Props = {
  run: Run
  set: (part: Partial<Run>) => void
  datasets: Schemas['DatasetShape'][]
  models: Schemas['ModelShape'][]
  /** A case is a conversation that a model must play the user of. */
  talks: boolean
  /** What may be the arm that others are held against, and which one is usual. */
  references: { value: string; label: string }[]
  usual: string
  wrong: (field: 'repeats' | 'budget') => string | null
}

export function RunChoices(props: Props) {
  const { run, set, datasets, models, talks, references, usual, wrong } = props
  return (
    <section className="mt-6 flex flex-wrap items-end gap-4">
      <Choice
        label="Cases"
        className="w-60"
        value={run.dataset}
        onChange={(e) => set({ dataset: Number(e.target.value) })}
      >
        {datasets.map((d) => (
          <option key={d.version_id} value={d.version_id}>
            {d.name}, version {d.version}
          </option>
        ))}
      </Choice>
      <Choice
        label="Part"
        className="w-48"
        value={run.split}
        onChange={(e) => set({ split: e.target.value })}
      >
        <option value="working">working cases</option>
        <option value="held-out">held-out cases</option>
      </Choice>
      {references.length > 1 && (
        <Choice
          label="The others are held against"
          className="w-80"
          value={references.some((r) => r.value === run.reference) ? run.reference : ''}
          onChange={(e) => set({ reference: e.target.value })}
        >
          <option value="">{usual ? `${usual} (usual)` : 'the usual one'}</option>
          {references.map((r) => (
            <option key={r.value} value={r.value}>
              {r.label}
            </option>
          ))}
        </Choice>
      )}
      <Field
        label="Repeats"
        className="w-24"
        inputMode="numeric"
        value={run.repeats}
        error={wrong('repeats')}
        onChange={(e) => set({ repeats: e.target.value })}
      />
      <Field
        label="Budget, if any"
        className="w-28"
        inputMode="decimal"
        value={run.budget}
        error={wrong('budget')}
        onChange={(e) => set({ budget: e.target.value })}
      />
      <Choice
        label="When an answer is cut"
        className="w-44"
        value={run.continuations}
        onChange={(e) => set({ continuations: e.target.value })}
      >
        <option value="0">leave it cut</option>
        <option value="1">continue it once</option>
        <option value="2">continue up to twice</option>
        <option value="3">up to three times</option>
        <option value="5">up to five times</option>
      </Choice>
      {(run.userModel !== null || talks) && (
        <Choice
          label="Who plays the user"
          className="w-48"
          value={run.userModel ?? ''}
          onChange={(e) => set({ userModel: e.target.value ? Number(e.target.value) : null })}
        >
          <option value="">choose a model</option>
          {models.map((m) => (
            <option key={m.id} value={m.id}>
              {m.name}
            </option>
          ))}
        </Choice>
      )}
      <label className="flex h-8 items-center gap-2 text-sm">
        <input
          type="checkbox"
          checked={run.fresh}
          onChange={(e) => set({ fresh: e.target.checked })}
        />
        Ask again what is stored
      </label>
      <label
        className="flex h-8 items-center gap-2 text-sm"
        title="At five looks on complete rows; together they drop the truly best arm in at most 5 % of trials"
      >
        <input
          type="checkbox"
          checked={run.racing}
          onChange={(e) => set({ racing: e.target.checked })}
        />
        Drop arms that are losing
      </label>
    </section>
  )
}
