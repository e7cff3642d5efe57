import { useQuery } from '@tanstack/react-query'
import { briefKeys } from '@/api/briefs'
import type { Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { planWeighingQuery, startWeighing } from '@/api/weights'
import { Note } from '@/parts/Margin'
import { PlanProblems } from '@/parts/PlanProblems'
import { Button, Choice, ErrorLine, Field } from '@/parts/controls'
import { Lacking } from '@/parts/Lacking'
import { costInWords, count, plural } from '@/parts/numbers'
import { placed } from '@/parts/placed'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useFrame } from '../../frame'
import { useModels } from '../try/ModelPicks'
import { ClauseRow } from './ClauseRow'

type Body = Schemas['WeighingRequest']

/** Which clauses are left out, on how many cases, and what that takes, before it is paid for. */
export function WeighForm({
  version,
  onStarted,
}: {
  version: Schemas['VersionDetail']
  onStarted: (id: number) => void
}) {
  const { brief } = useFrame()
  const models = useModels()
  const usable = brief.datasets.filter((d) => d.working > 0 && !d.archived)
  const place = `weigh ${brief.id}`
  const [model, setModel] = useTyped<number | null>(`${place} model`, null)
  const [dataset, setDataset] = useTyped(`${place} dataset`, usable[0]?.version_id ?? 0)
  const [cases, setCases] = useTyped(`${place} cases`, '')
  const [repeats, setRepeats] = useTyped(`${place} repeats`, '1')
  const [budget, setBudget] = useTyped(`${place} budget`, '')
  const [keep, setKeep] = useTyped<number[]>(`${place} keep in ${version.number}`, [])
  const { write, pending: busy, problem } = useWrite([...briefKeys(brief.id)])
  const target = model ?? models[0]?.id ?? 0
  const body: Body = {
    version: version.number,
    model: target,
    settings: {},
    dataset_version: dataset,
    keep,
    cases: cases.trim() ? Number(cases) || 0 : null,
    repeats: Number(repeats) || 0,
  }
  const plan = useQuery({
    ...planWeighingQuery(brief.id, body),
    enabled: target > 0 && dataset > 0,
    placeholderData: (former) => former,
    retry: false,
  })
  const ways = [
    usable.length === 0 && { words: 'bring working cases in', to: `/briefs/${brief.id}/cases` },
    models.length === 0 && { words: 'add a model', to: '/models' },
  ].filter((w) => w !== false)
  if (ways.length > 0) return <Lacking title="Clauses cannot be weighed yet." ways={ways} />
  const { wrong, elsewhere } = placed([problem, plan.error], ['cases', 'repeats', 'budget'])
  const start = () =>
    write(async () => {
      const made = await startWeighing(brief.id, { ...body, budget: budget.trim() || null })
      forgetTyped(place)
      onStarted(made.id)
    })
  const blocked =
    !plan.data || plan.isError || plan.data.problems.some((p) => p.severity === 'error')
  return (
    <>
      <div className="mt-3 flex flex-wrap items-start gap-4">
        <Choice
          label="The model it is for"
          className="w-56"
          value={target}
          onChange={(e) => setModel(Number(e.target.value))}
        >
          {models.map((m) => (
            <option key={m.id} value={m.id}>
              {m.name}
              {m.simulated ? ' (simulated)' : ''}
            </option>
          ))}
        </Choice>
        {usable.length > 1 && (
          <Choice
            label="Cases of"
            className="w-48"
            value={dataset}
            onChange={(e) => setDataset(Number(e.target.value))}
          >
            {usable.map((d) => (
              <option key={d.version_id} value={d.version_id}>
                {d.name}, version {d.version}
              </option>
            ))}
          </Choice>
        )}
        <Field
          label={`Cases, of ${count(usable.find((d) => d.version_id === dataset)?.working ?? 0)}`}
          className="w-32"
          inputMode="numeric"
          value={cases}
          placeholder={plan.data ? String(plan.data.suggested) : ''}
          error={wrong('cases')}
          onChange={(e) => setCases(e.target.value)}
        />
        <Field
          label="Repeats"
          className="w-24"
          inputMode="numeric"
          value={repeats}
          error={wrong('repeats')}
          onChange={(e) => setRepeats(e.target.value)}
        />
        <Field
          label="Budget, if any"
          className="w-32"
          inputMode="decimal"
          value={budget}
          error={wrong('budget')}
          onChange={(e) => setBudget(e.target.value)}
        />
      </div>
      {elsewhere && (
        <div className="mt-3">
          <ErrorLine>{elsewhere}</ErrorLine>
        </div>
      )}
      <PlanProblems problems={plan.data?.problems} />
      <div className="mt-4 flex items-baseline gap-4">
        <Button
          kind="main"
          disabled={busy || plan.isFetching}
          lacks={[blocked && 'what is told in red stands in the way']}
          onClick={() => void start()}
        >
          Weigh {plural(plan.data?.free.length ?? 0, 'clause')}
        </Button>
        {plan.data && !plan.isError && <p className="text-sm text-soft">{takes(plan.data)}</p>}
      </div>
      {plan.data && !plan.isError && (
        <PlannedClauses plan={plan.data} keep={keep} setKeep={setKeep} />
      )}
    </>
  )
}

function sentenceOf(why: string | undefined): string {
  return why ? `${why[0]?.toUpperCase()}${why.slice(1)}.` : ''
}

function takes(plan: Schemas['WeighingPlanShape']): string {
  const price =
    plan.cost === null
      ? `price unknown: ${plan.unpriced.join(', ')} has none`
      : `about ${costInWords(plan.cost, plan.simulated_cost)}`
  const out =
    plan.at_most_out === 1
      ? 'each leaves out one clause'
      : `each leaves out at most ${plan.at_most_out} clauses`
  const stored = plan.in_store ? `; ${count(plan.in_store)} answers are stored already` : ''
  return `${count(plan.rows)} texts, ${out}, on ${plural(plan.n_cases, 'case')}: ${count(plan.calls)} calls, ${price}${stored}.${plan.one_by_one > 1.2 * plan.calls ? ` Leaving out one clause at a time would take ${count(plan.one_by_one)} to be as precise.` : ''}`
}

type PlannedProps = {
  plan: Schemas['WeighingPlanShape']
  keep: number[]
  setKeep: (clauses: number[]) => void
}

/** Every clause: which are left out by turns, which stay and why. */
function PlannedClauses({ plan, keep, setKeep }: PlannedProps) {
  const free = new Map(plan.free.flatMap((f) => f.clauses.map((n) => [n, f])))
  const locked = new Map(plan.locked.map((l) => [l.clause, l.why]))
  return (
    <div className="mt-5 border-t border-rule">
      {plan.lines.map((c) => {
        const unit = free.get(c.number)
        const why = locked.get(c.number)
        return (
          <ClauseRow
            key={c.number}
            clause={c}
            tone={unit ? null : 'stays'}
            margin={
              unit ? (
                unit.clauses[0] === c.number && (
                  <Note
                    tone="action"
                    title={`${unit.clauses.map((n) => `§ ${n}`).join(' and ')} ${unit.clauses.length > 1 ? 'are' : 'is'} left out by turns`}
                  >
                    About {plural(unit.tokens, 'token')}.{' '}
                    <button
                      type="button"
                      className="font-sans text-xs text-soft underline underline-offset-2 hover:text-ink"
                      onClick={() => setKeep([...keep, ...unit.clauses])}
                    >
                      Keep it in
                    </button>
                  </Note>
                )
              ) : (
                <Note title={`§ ${c.number} stays`}>
                  {sentenceOf(why)}{' '}
                  {keep.includes(c.number) && (
                    <button
                      type="button"
                      className="font-sans text-xs text-soft underline underline-offset-2 hover:text-ink"
                      onClick={() => setKeep(keep.filter((n) => n !== c.number))}
                    >
                      Leave it out by turns
                    </button>
                  )}
                </Note>
              )
            }
          />
        )
      })}
    </div>
  )
}
