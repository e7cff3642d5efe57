import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link, useNavigate, useSearchParams } from 'react-router'
import { baselinesQuery } from '@/api/baselines'
import { briefKeys } from '@/api/briefs'
import { inWords, Problem, type Schemas } from '@/api/client'
import { useConnections } from '@/api/connections'
import { caseQualityQuery } from '@/api/datasets'
import { triesQuery } from '@/api/drafts'
import { planTrialQuery, startTrial, trialChoicesQuery, useTrials } from '@/api/trials'
import { useWrite } from '@/api/useWrite'
import { Button, Empty, ErrorLine, Field, TextAction, Waiting } from '@/parts/controls'
import { count, duration, costInWords, plural } from '@/parts/numbers'
import { forgetTyped, useTyped } from '@/parts/typed'
import { Word } from '@/parts/Word'
import { bodyOf, casesAsked, expanded, startOf, type PlanBody } from './planned'
import { RunChoices, type Run } from './RunChoices'
import { PlanArms } from './PlanArms'
import { PlanMargin } from './PlanMargin'
import { useFrame } from '../frame'
import { type Settings, SettingsRow } from '../settings/SettingsRow'
import { StageGrid } from '../StageGrid'

/** Plan a trial: what to run, and what it will take, before anything is paid for. */
export function PlanStage() {
  const { brief, inHand } = useFrame()
  const connections = useConnections()
  const trials = useTrials(brief.id)
  const [search] = useSearchParams()
  const asked = Number(search.get('like')) || null
  // Without another one named, the last choices of this brief.
  const last = trials.data?.find((t) => t.purpose === 'compare')?.id ?? null
  const like = asked ?? last
  const choices = useQuery({
    ...trialChoicesQuery(like ?? 0),
    enabled: like !== null,
    retry: false,
  })
  const tried = useQuery(triesQuery(brief.id, null))
  if (
    connections.isPending ||
    trials.isPending ||
    tried.isPending ||
    (like !== null && choices.isPending)
  )
    return (
      <div className="px-6">
        <Waiting what="the models" />
      </div>
    )
  const all = (connections.data ?? []).flatMap((c) => c.models)
  const usable = brief.datasets.filter((d) => d.working + d.held_out > 0 && !d.archived)
  const missing = whatIsMissing(brief, usable.length, all.length)
  if (missing.length > 0)
    return (
      <div className="px-6">
        <Empty title="A trial cannot be planned yet.">
          {missing.map(({ words, to }) => (
            <Link
              key={to}
              className="block font-semibold text-action underline underline-offset-2"
              to={to}
            >
              {words}
            </Link>
          ))}
        </Empty>
      </div>
    )
  const start = startOf(choices.data ?? null, asked !== null, brief, inHand, all)
  // Who was asked in the draft was chosen by somebody; nobody else is.
  if (start.models.length === 0)
    start.models = [...new Set((tried.data?.found?.answers ?? []).map((a) => a.model))].filter(
      (id) => all.some((m) => m.id === id),
    )
  const these = casesAsked(search)
  if (these) Object.assign(start.run, these)
  const brought = Number(search.get('baseline')) || null
  if (brought !== null) {
    start.baselines = [brought]
    start.run.reference = `baseline ${brought}`
  }
  return (
    <PlanForm
      key={`${asked} ${search}`}
      start={start}
      like={asked}
      at={these || brought !== null ? String(search) : ''}
      models={all}
    />
  )
}

type FormProps = {
  start: ReturnType<typeof startOf>
  like: number | null
  /** What the address asks for, where it names cases: typed choices belong to it alone. */
  at: string
  models: Schemas['ModelShape'][]
}

function PlanForm({ start: first, like, at, models: all }: FormProps) {
  const { brief, inHand } = useFrame()
  const navigate = useNavigate()
  const usable = brief.datasets.filter((d) => d.working + d.held_out > 0 && !d.archived)
  const place = like === null ? `plan ${brief.id}` : `plan ${brief.id} like ${like}`
  const [versions, setVersions] = useTyped<number[]>(
    `${place} versions beside ${inHand ?? 'none'}`,
    first.versions,
  )
  const [chosen, setModels] = useTyped<number[]>(`${place} models`, first.models)
  const [variants, setVariants] = useTyped<Settings[]>(`${place} settings`, first.settings)
  const [brought, setBrought] = useTyped(`${place} brought in${at}`, first.baselines)
  const [question, setQuestion] = useTyped(`${place} question`, first.question)
  const [run, setRun] = useTyped<Run>(`${place} run${at}`, first.run)
  const [unscored, setUnscored] = useTyped(`${place} unscored${at}`, false)
  const { write, pending: busy, problem } = useWrite([...briefKeys(brief.id)])
  const { settings, row } = expanded(variants)
  const dataset = usable.find((d) => d.version_id === run.dataset)
  const elsewhere = (useQuery(baselinesQuery(brief.id)).data ?? []).filter(
    (b) => b.dataset === dataset?.id && (!b.archived || brought.includes(b.id)),
  )
  const stands = brought.filter((id) => elsewhere.some((b) => b.id === id))
  const body = bodyOf(versions, chosen, settings, run, stands)
  const plan = usePlan(brief.id, body, usable.length > 0 && all.length > 0)
  const told = plan.error instanceof Problem ? plan.error.field : null
  // Of an expanded row the fault stands at the row that was typed.
  const field =
    told?.replace(/^settings\.(\d+)/, (_, n) => `settings.${row[Number(n)] ?? 0}`) ?? null

  const tags = useQuery({
    ...caseQualityQuery(dataset?.id ?? 0, { near: 'false' }, [run.dataset, dataset?.changed]),
    enabled: dataset !== undefined && run.cases.which === 'tag',
    staleTime: Infinity,
  })
  const start = () =>
    write(async () => {
      const made = await startTrial(brief.id, {
        ...body,
        question,
        budget: run.budget.trim() || null,
        unscored,
      })
      forgetTyped(place)
      void navigate(`/briefs/${brief.id}/trials/${made.id}`)
    })
  const budgetError =
    problem instanceof Problem && problem.field === 'budget' ? inWords(problem) : null
  const blocked =
    !plan.data || plan.error !== null || plan.data.problems.some((p) => p.severity === 'error')
  const asks = plan.data?.problems.some((p) => p.severity === 'ask') ?? false
  return (
    <StageGrid
      margin={
        <PlanMargin
          plan={plan.data}
          heldOut={run.split === 'held-out'}
          error={plan.error}
          stale={plan.isFetching}
        />
      }
    >
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <h1 className="text-xl">Plan a trial</h1>
        <span className="ml-auto text-right text-sm text-soft" aria-live="polite">
          {plan.data && !plan.error ? takes(plan.data) : ''}
        </span>
        <Button
          kind="main"
          disabled={busy || plan.isFetching}
          lacks={[
            blocked && 'what is told in red stands in the way',
            asks &&
              !unscored &&
              'no answer can get a score: say below that it shall run all the same',
          ]}
          onClick={() => void start()}
        >
          {plan.data && !plan.error ? `Start ${plural(plan.data.calls, 'call')}` : 'Start'}
        </Button>
      </div>
      {asks && (
        <label className="mt-3 flex items-baseline gap-2 border-l-2 border-attention pl-3 text-sm">
          <input
            type="checkbox"
            checked={unscored}
            onChange={(e) => setUnscored(e.target.checked)}
          />
          No answer can get a score. Run it all the same, to read the answers.
        </label>
      )}
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
      <PlanArms
        models={all}
        elsewhere={elsewhere}
        versions={[versions, setVersions]}
        chosen={[chosen, setModels]}
        brought={[stands, setBrought]}
      />
      <SettingsRows
        variants={variants}
        onChange={setVariants}
        task={brief.task}
        models={chosen}
        field={field}
        wrong={inWords(plan.error)}
      />
      <RunChoices
        run={run}
        set={(part) => setRun({ ...run, ...part })}
        datasets={usable}
        models={all}
        references={[
          ...referencesOf(versions, chosen, settings, all),
          ...elsewhere
            .filter((b) => stands.includes(b.id))
            .map((b) => ({ value: `baseline ${b.id}`, label: b.name })),
        ]}
        usual={plan.data ? usualOf(plan.data) : ''}
        talks={plan.data?.problems.some((p) => p.field === 'user_model') ?? false}
        tags={tags.data?.tags ?? {}}
        wrong={(name) =>
          name === 'budget'
            ? budgetError
            : field === name || (name === 'cases' && field?.startsWith('cases'))
              ? inWords(plan.error)
              : null
        }
      />
    </StageGrid>
  )
}

/** The arm that the others are held against: answers from elsewhere stand after those asked. */
function usualOf(plan: Schemas['PlanShape']): string {
  const names = [...plan.arms.map((a) => a.label), ...plan.brought.map((b) => b.name)]
  return names[plan.reference ?? -1] ?? ''
}

/** What it takes, beside the button that starts it. */
function takes(plan: Schemas['PlanShape']): string {
  return [
    `${count(plan.arms.length)} × ${plural(plan.n_cases, 'case')}`,
    plan.brought.length > 0 &&
      `${count(plan.brought.reduce((n, b) => n + b.answers, 0))} brought in`,
    `about ${count(plan.tokens_in + plan.tokens_out)} tokens`,
    plan.cost === null ? 'price unknown' : costInWords(plan.cost, plan.simulated_cost),
    plan.seconds !== null && `about ${duration(plan.seconds)}`,
    plan.in_store ? `${count(plan.in_store)} in the store` : '',
  ]
    .filter(Boolean)
    .join(' · ')
}

/** All that a trial still needs, each with the place where it is had. */
function whatIsMissing(
  brief: Schemas['BriefDetail'],
  datasets: number,
  models: number,
): { words: string; to: string }[] {
  const at = `/briefs/${brief.id}`
  return [
    ...(brief.versions.length === 0
      ? [{ words: 'Write and save a first version', to: `${at}/draft` }]
      : []),
    ...(datasets === 0
      ? [{ words: 'Take cases in: a trial runs on them', to: `${at}/cases` }]
      : []),
    ...(brief.scorecard ? [] : [{ words: 'Say what counts as good', to: `${at}/brief` }]),
    ...(models === 0 ? [{ words: 'Add a model that answers', to: '/models' }] : []),
  ]
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

type SettingsProps = {
  variants: Settings[]
  onChange: (variants: Settings[]) => void
  task: string
  models: number[]
  /** The field that is amiss, and what is wrong with it. */
  field: string | null
  wrong: string
}

/** The settings to compare, a row each. */
function SettingsRows({ variants, onChange, task, models, field, wrong }: SettingsProps) {
  return (
    <section className="mt-6">
      <h2 className="text-base">
        <Word of="settings">Settings</Word>
      </h2>
      <p className="mb-2 text-sm text-soft">
        Empty fields stay as each version has them. Every row is an arm of its own; several values
        in a field, parted by commas, make an arm each.
      </p>
      {variants.map((v, i) => (
        <div key={i} className="mb-3 border-l-2 border-rule pl-3">
          <SettingsRow
            settings={v}
            task={task}
            empty="as saved"
            models={models}
            errors={
              field?.startsWith(`settings.${i}.`)
                ? { [field.slice(`settings.${i}.`.length)]: wrong }
                : {}
            }
            onChange={(next) => onChange(variants.map((row, j) => (j === i ? next : row)))}
          />
          {variants.length > 1 && (
            <Button kind="quiet" small onClick={() => onChange(variants.filter((_, j) => j !== i))}>
              Take this row out
            </Button>
          )}
        </div>
      ))}
      <TextAction className="text-sm" onClick={() => onChange([...variants, { temperature: 0.7 }])}>
        Add settings to compare
      </TextAction>
    </section>
  )
}

/** Every arm of the plan by the parts that name it. */
function referencesOf(
  versions: number[],
  models: number[],
  settings: Settings[],
  all: Schemas['ModelShape'][],
): { value: string; label: string }[] {
  return versions.flatMap((v) =>
    models.flatMap((m) =>
      settings.map((_, k) => ({
        value: `${v} ${m} ${k}`,
        label: `v${v} on ${all.find((x) => x.id === m)?.name ?? ''}${settings.length > 1 ? `, settings ${k + 1}` : ''}`,
      })),
    ),
  )
}
