import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { useNavigate } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords, Problem, type Schemas } from '@/api/client'
import { useConnections } from '@/api/connections'
import { planTrialQuery, startTrial } from '@/api/trials'
import { useWrite } from '@/api/useWrite'
import { Note } from '@/parts/Margin'
import {
  Button,
  Choice,
  Empty,
  ErrorLine,
  Field,
  Simulated,
  TextAction,
  Waiting,
} from '@/parts/controls'
import { count, money, plural, lookedAt } from '@/parts/numbers'
import { useFrame } from '../BriefFrame'
import { type Settings, SettingsRow } from '../settings/SettingsRow'
import { StageGrid } from '../StageGrid'

type PlanBody = Schemas['PlanRequest']

/** Plan a trial: what to run, and what it will take, before anything is paid for. */
export function PlanStage() {
  const { brief, inHand } = useFrame()
  const connections = useConnections()
  const navigate = useNavigate()
  const usable = brief.datasets.filter((d) => d.working + d.held_out > 0)
  const [versions, setVersions] = useState<number[]>(
    inHand === null ? [] : startingVersions(brief, inHand),
  )
  const [models, setModels] = useState<number[] | null>(null)
  const [variants, setVariants] = useState<Settings[]>([{}])
  const [dataset, setDataset] = useState<number>(usable[0]?.version_id ?? 0)
  const [split, setSplit] = useState('working')
  const [repeats, setRepeats] = useState('1')
  const [question, setQuestion] = useState('')
  const [fresh, setFresh] = useState(false)
  const [racing, setRacing] = useState(false)
  const [continuations, setContinuations] = useState('0')
  const [budget, setBudget] = useState('')
  const [userModel, setUserModel] = useState<number | null>(null)
  const { write, pending: busy, problem } = useWrite([...briefKeys(brief.id)])
  const all = (connections.data ?? []).flatMap((c) => c.models)
  const chosen = models ?? all.map((m) => m.id)

  const body: PlanBody = {
    versions,
    models: chosen,
    settings: variants,
    dataset_version: dataset,
    split,
    repeats: Number(repeats) || 0,
    fresh,
    continuations: Number(continuations),
    user_model: userModel,
    racing,
  }
  const plan = usePlan(brief.id, body, usable.length > 0 && all.length > 0)
  const field = plan.error instanceof Problem ? plan.error.field : null

  if (connections.isPending)
    return (
      <div className="px-6">
        <Waiting what="the models" />
      </div>
    )
  const missing = whatIsMissing(brief, usable.length, all.length)
  if (missing)
    return (
      <div className="px-6">
        <Empty title="A trial cannot be planned yet.">{missing}</Empty>
      </div>
    )

  const start = () =>
    write(async () => {
      const made = await startTrial(brief.id, { ...body, question, budget: budget.trim() || null })
      void navigate(`/briefs/${brief.id}/trials/${made.id}`)
    })
  const budgetError =
    problem instanceof Problem && problem.field === 'budget' ? inWords(problem) : null
  const blocked = !plan.data || plan.data.problems.some((p) => p.severity === 'error')
  return (
    <StageGrid
      margin={
        <PlanMargin
          plan={plan.data}
          heldOut={split === 'held-out'}
          error={plan.error}
          stale={plan.isFetching}
        />
      }
    >
      <div className="flex items-center justify-between">
        <h1 className="text-xl">Plan a trial</h1>
        <Button
          kind="main"
          disabled={busy || blocked || plan.isFetching}
          onClick={() => void start()}
        >
          {plan.data ? `Start ${plural(plan.data.calls, 'call')}` : 'Start'}
        </Button>
      </div>
      {problem !== null && !budgetError && (
        <div className="mt-3">
          <ErrorLine>{inWords(problem)}</ErrorLine>
        </div>
      )}
      <Field
        label="The question this trial answers"
        className="mt-3 max-w-2xl"
        placeholder="Does naming the labels help?"
        value={question}
        onChange={(e) => setQuestion(e.target.value)}
      />
      <div className="mt-5 grid grid-cols-2 gap-8">
        <Ticks
          title="Versions"
          rows={[...brief.versions].reverse().map((v) => ({
            id: v.number,
            text: (
              <>
                v{v.number} <span className="text-soft">{v.note}</span>
              </>
            ),
          }))}
          chosen={versions}
          onChange={setVersions}
        />
        <Ticks
          title="Models"
          rows={all.map((m) => ({
            id: m.id,
            text: (
              <>
                {m.name} {m.simulated && <Simulated />}{' '}
                <span className="block text-xs text-soft">
                  {m.price_in === null
                    ? 'no price'
                    : `${money(m.price_in * 1e9, 2)} in, ${money((m.price_out ?? 0) * 1e9, 2)} out per million tokens`}
                </span>
              </>
            ),
          }))}
          chosen={chosen}
          onChange={setModels}
        />
      </div>
      <section className="mt-6">
        <h2 className="text-base">Settings</h2>
        <p className="mb-2 text-sm text-soft">
          Empty fields stay as each version has them. Every row is an arm of its own.
        </p>
        {variants.map((v, i) => (
          <div key={i} className="mb-3 border-l-2 border-rule pl-3">
            <SettingsRow
              settings={v}
              task={brief.task}
              empty="as saved"
              models={chosen}
              errors={
                field?.startsWith(`settings.${i}.`)
                  ? { [field.slice(`settings.${i}.`.length)]: inWords(plan.error) }
                  : {}
              }
              onChange={(next) => setVariants(variants.map((row, j) => (j === i ? next : row)))}
            />
            {variants.length > 1 && (
              <Button
                kind="quiet"
                small
                onClick={() => setVariants(variants.filter((_, j) => j !== i))}
              >
                Take this row out
              </Button>
            )}
          </div>
        ))}
        <TextAction
          className="text-sm"
          onClick={() => setVariants([...variants, { temperature: 0.7 }])}
        >
          Add settings to compare
        </TextAction>
      </section>
      <section className="mt-6 flex flex-wrap items-end gap-4">
        <Choice
          label="Cases"
          className="w-60"
          value={dataset}
          onChange={(e) => setDataset(Number(e.target.value))}
        >
          {usable.map((d) => (
            <option key={d.version_id} value={d.version_id}>
              {d.name}, version {d.version}
            </option>
          ))}
        </Choice>
        <Choice
          label="Part"
          className="w-48"
          value={split}
          onChange={(e) => setSplit(e.target.value)}
        >
          <option value="working">working cases</option>
          <option value="held-out">held-out cases</option>
        </Choice>
        <Field
          label="Repeats"
          className="w-24"
          inputMode="numeric"
          value={repeats}
          error={field === 'repeats' ? inWords(plan.error) : null}
          onChange={(e) => setRepeats(e.target.value)}
        />
        <Field
          label="Budget, if any"
          className="w-28"
          inputMode="decimal"
          value={budget}
          error={budgetError}
          onChange={(e) => setBudget(e.target.value)}
        />
        <Choice
          label="When an answer is cut"
          className="w-44"
          value={continuations}
          onChange={(e) => setContinuations(e.target.value)}
        >
          <option value="0">leave it cut</option>
          <option value="1">continue it once</option>
          <option value="2">continue up to twice</option>
          <option value="3">up to three times</option>
          <option value="5">up to five times</option>
        </Choice>
        {(userModel !== null || plan.data?.problems.some((p) => p.field === 'user_model')) && (
          <Choice
            label="Who plays the user"
            className="w-48"
            value={userModel ?? ''}
            onChange={(e) => setUserModel(e.target.value ? Number(e.target.value) : null)}
          >
            <option value="">choose a model</option>
            {all.map((m) => (
              <option key={m.id} value={m.id}>
                {m.name}
              </option>
            ))}
          </Choice>
        )}
        <label className="flex h-8 items-center gap-2 text-sm">
          <input type="checkbox" checked={fresh} onChange={(e) => setFresh(e.target.checked)} />
          Ask again what is stored
        </label>
        <label
          className="flex h-8 items-center gap-2 text-sm"
          title="At five looks on complete rows; together they drop the truly best arm in at most 5 % of trials"
        >
          <input type="checkbox" checked={racing} onChange={(e) => setRacing(e.target.checked)} />
          Drop arms that are losing
        </label>
      </section>
    </StageGrid>
  )
}

function startingVersions(brief: Schemas['BriefDetail'], inHand: number): number[] {
  const parent = brief.versions.find((v) => v.number === inHand)?.parent
  return parent ? [parent, inHand] : [inHand]
}

function whatIsMissing(
  brief: Schemas['BriefDetail'],
  datasets: number,
  models: number,
): string | null {
  if (brief.versions.length === 0) return 'Write and save a first version under Draft.'
  if (datasets === 0) return 'Import cases under Cases: a trial runs on them.'
  if (!brief.scorecard) return 'Write a scorecard under Brief: it says what counts as good.'
  if (models === 0) return 'Add a connection and a model under Models.'
  return null
}

function usePlan(briefId: number, body: PlanBody, enabled: boolean) {
  const text = JSON.stringify(body)
  const [settled, setSettled] = useState(text)
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(text), 250)
    return () => window.clearTimeout(timer)
  }, [text])
  const plan = useQuery({
    ...planTrialQuery(briefId, JSON.parse(settled) as PlanBody),
    enabled: enabled && settled === text,
    placeholderData: (former) => former,
  })
  return { data: plan.data, error: plan.error, isFetching: plan.isFetching || settled !== text }
}

type TicksProps = {
  title: string
  rows: { id: number; text: React.ReactNode }[]
  chosen: number[]
  onChange: (ids: number[]) => void
}

function Ticks({ title, rows, chosen, onChange }: TicksProps) {
  return (
    <fieldset>
      <legend className="mb-1 flex w-full items-baseline justify-between">
        <span className="font-serif text-base font-semibold">{title}</span>
        <span className="text-xs">
          <TextAction onClick={() => onChange(rows.map((r) => r.id))}>all</TextAction>{' '}
          <TextAction onClick={() => onChange([])}>none</TextAction>
        </span>
      </legend>
      <div className="max-h-52 overflow-y-auto border-t border-rule">
        {rows.map((r) => (
          <label
            key={r.id}
            className="flex items-baseline gap-2.5 border-b border-rule py-1.5 text-sm"
          >
            <input
              type="checkbox"
              checked={chosen.includes(r.id)}
              onChange={(e) =>
                onChange(e.target.checked ? [...chosen, r.id] : chosen.filter((id) => id !== r.id))
              }
            />
            <span className="min-w-0">{r.text}</span>
          </label>
        ))}
      </div>
    </fieldset>
  )
}

function PlanMargin({
  plan,
  heldOut,
  error,
  stale,
}: {
  heldOut: boolean
  plan: Schemas['PlanShape'] | undefined
  error: Error | null
  stale: boolean
}) {
  return (
    <div className="grid gap-4" aria-busy={stale}>
      <h2 className="flex items-baseline justify-between text-base">
        What it will take
        {stale && <span className="font-sans text-xs font-normal text-soft">counting…</span>}
      </h2>
      {error && !plan && (
        <Note tone="harm" title="Not yet a plan">
          {inWords(error)}
        </Note>
      )}
      {plan && !error && (
        <>
          <dl className="text-sm">
            {[
              ['Arms', count(plan.arms.length)],
              ['Cases', count(plan.n_cases)],
              ['Calls', count(plan.calls)],
              ['Tokens in, about', count(plan.tokens_in)],
              ['Tokens out, about', count(plan.tokens_out)],
              ['Price, about', plan.cost === null ? 'unknown' : money(plan.cost)],
            ].map(([name, value]) => (
              <div key={name} className="flex justify-between border-b border-rule py-1">
                <dt className="text-soft">{name}</dt>
                <dd className="font-mono text-xs leading-5">{value}</dd>
              </div>
            ))}
          </dl>
          {plan.beside_calls > 0 && (
            <Note tone="inform" title={`${count(plan.beside_calls)} of these calls answer nothing`}>
              They judge answers or play the user
              {plan.beside_cost === null ? '' : `, for about ${money(plan.beside_cost)}`}. They are
              no part of what an arm costs.
            </Note>
          )}
          {(plan.in_store ?? 0) > 0 && (
            <Note tone="action" title={`${count(plan.in_store ?? 0)} answers are in the store`}>
              The same request was answered before by the same model. They are scored again and not
              paid for again; the price above counts them as if they were.
            </Note>
          )}
          {heldOut && (
            <Note tone="attention" title={`Held-out cases: ${lookedAt(plan.looks)}`}>
              Starting this is one more look. They tell what a version is worth only while nobody
              chooses by them.
            </Note>
          )}
          {plan.problems.map((p) => (
            <Note
              key={p.arm + p.text}
              tone={p.severity === 'error' ? 'harm' : 'attention'}
              title={p.severity === 'error' ? 'Cannot run' : 'Look first'}
            >
              {p.arm && `${p.arm}: `}
              {p.text}.
            </Note>
          ))}
          {plan.unpriced.length > 0 && (
            <Note tone="attention" title={`${plural(plan.unpriced.length, 'arm')} without a price`}>
              Give the model a price under Models to see the cost before and after.
            </Note>
          )}
          <Note title="How good this estimate is">
            {howGood(plan)} What is charged is what the server reports.
          </Note>
        </>
      )}
    </div>
  )
}

/** How far estimates for these models were off before, from the counts their servers reported. */
function howGood(plan: Schemas['PlanShape']): string {
  const known = new Map<string, string>()
  plan.arms.forEach((a) => {
    if (a.error_in !== null && a.error_out !== null)
      known.set(
        a.model,
        `${a.model} ${Math.round(a.error_in * 100)} % in, ${Math.round(a.error_out * 100)} % out`,
      )
  })
  const new_ = new Set(plan.arms.filter((a) => a.error_in === null).map((a) => a.model))
  const parts = []
  if (known.size)
    parts.push(`Single calls were off by this much so far: ${[...known.values()].join('; ')}.`)
  if (new_.size)
    parts.push(
      `${[...new_].join(', ')}: counted by a rough rule, until the first trial has taught better.`,
    )
  return parts.join(' ')
}
