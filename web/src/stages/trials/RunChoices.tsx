import type { Schemas } from '@/api/client'
import { Choice, Field } from '@/parts/controls'
import { Conditions } from '../cases/Conditions'
import type { Condition } from '../cases/conditions'

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
  cases: CasesTyped
}

/** Which cases, as they are typed. */
export type CasesTyped = {
  which: 'all' | 'first' | 'random' | 'tag' | 'words' | 'numbers' | 'where'
  n: string
  seed: string
  tag: string
  words: string
  numbers: string
  where: Condition[]
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
  /** How many cases bear each tag. */
  tags: Record<string, number>
  wrong: (field: 'repeats' | 'budget' | 'cases') => string | null
}

export function RunChoices(props: Props) {
  const { run, set, datasets, models, talks, references, usual, tags, wrong } = props
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
      <WhichCases
        cases={run.cases}
        tags={tags}
        columns={datasets.find((d) => d.version_id === run.dataset)?.columns ?? []}
        wrong={wrong('cases')}
        onChange={(part) => set({ cases: { ...run.cases, ...part } })}
      />
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

type WhichProps = {
  cases: CasesTyped
  tags: Record<string, number>
  columns: string[]
  wrong: string | null
  onChange: (part: Partial<CasesTyped>) => void
}

/** All cases of the part, or some of them: the first, at random, by tag, by words, by number. */
function WhichCases({ cases: c, tags, columns, wrong, onChange }: WhichProps) {
  const names = Object.keys(tags)
  return (
    <>
      <Choice
        label="Which of them"
        className="w-52"
        value={c.which}
        onChange={(e) => onChange({ which: e.target.value as CasesTyped['which'] })}
      >
        <option value="all">all of them</option>
        <option value="random">some at random</option>
        <option value="first">the first ones</option>
        <option value="tag">with a tag</option>
        <option value="words">with words</option>
        <option value="numbers">by number</option>
        <option value="where">where conditions hold</option>
      </Choice>
      {(c.which === 'random' || c.which === 'first') && (
        <Field
          label="How many"
          className="w-20"
          inputMode="numeric"
          value={c.n}
          error={wrong}
          onChange={(e) => onChange({ n: e.target.value })}
        />
      )}
      {c.which === 'random' && (
        <Field
          label="Seed"
          className="w-16"
          inputMode="numeric"
          title="The same seed chooses the same cases; every tag comes in its share"
          value={c.seed}
          onChange={(e) => onChange({ seed: e.target.value })}
        />
      )}
      {c.which === 'tag' && (
        <Choice
          label="Tag"
          className="w-44"
          value={c.tag}
          onChange={(e) => onChange({ tag: e.target.value })}
        >
          <option value="">choose one</option>
          {[...new Set([...names, ...(c.tag ? [c.tag] : [])])].map((t) => (
            <option key={t} value={t}>
              {t}
              {tags[t] ? `, ${tags[t]}` : ''}
            </option>
          ))}
        </Choice>
      )}
      {c.which === 'where' && (
        <Conditions
          columns={columns}
          where={c.where}
          words={c.words}
          wrong={wrong}
          onChange={onChange}
        />
      )}
      {c.which === 'words' && (
        <Field
          label="Words in a case"
          className="w-52"
          value={c.words}
          error={wrong}
          onChange={(e) => onChange({ words: e.target.value })}
        />
      )}
      {c.which === 'numbers' && (
        <Field
          label="Numbers of cases"
          className="w-52"
          placeholder="3, 7-9, 12"
          value={c.numbers}
          error={wrong}
          onChange={(e) => onChange({ numbers: e.target.value })}
        />
      )}
    </>
  )
}
