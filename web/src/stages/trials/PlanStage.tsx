import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { useNavigate } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords, Problem, type Schemas } from '@/api/client'
import { useConnections } from '@/api/connections'
import { planTrialQuery, startTrial } from '@/api/trials'
import { useWrite } from '@/api/useWrite'
import { Button, Empty, ErrorLine, Field, Simulated, TextAction, Waiting } from '@/parts/controls'
import { money, plural } from '@/parts/numbers'
import { forgetTyped, useTyped } from '@/parts/typed'
import { RunChoices, type Run } from './RunChoices'
import { PlanMargin } from './PlanMargin'
import { useFrame } from '../frame'
import { type Settings, SettingsRow } from '../settings/SettingsRow'
import { StageGrid } from '../StageGrid'

type PlanBody = Schemas['PlanRequest']

/** Plan a trial: what to run, and what it will take, before anything is paid for. */
export function PlanStage() {
  const { brief, inHand } = useFrame()
  const connections = useConnections()
  const navigate = useNavigate()
  const usable = brief.datasets.filter((d) => d.working + d.held_out > 0)
  const place = `plan ${brief.id}`
  const [versions, setVersions] = useTyped<number[]>(
    `${place} versions beside ${inHand ?? 'none'}`,
    inHand === null ? [] : startingVersions(brief, inHand),
  )
  const [models, setModels] = useTyped<number[] | null>(`${place} models`, null)
  const [variants, setVariants] = useTyped<Settings[]>(`${place} settings`, [{}])
  const [question, setQuestion] = useTyped(`${place} question`, '')
  const [run, setRun] = useTyped<Run>(`${place} run`, {
    dataset: usable[0]?.version_id ?? 0,
    split: 'working',
    repeats: '1',
    budget: '',
    continuations: '0',
    userModel: null,
    fresh: false,
    racing: false,
    reference: '',
  })
  const { write, pending: busy, problem } = useWrite([...briefKeys(brief.id)])
  const all = (connections.data ?? []).flatMap((c) => c.models)
  const chosen = models ?? all.map((m) => m.id)

  const body = bodyOf(versions, chosen, variants, run)
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
      const made = await startTrial(brief.id, {
        ...body,
        question,
        budget: run.budget.trim() || null,
      })
      forgetTyped(place)
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
          heldOut={run.split === 'held-out'}
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
        references={referencesOf(versions, chosen, variants, all)}
        usual={plan.data?.arms[plan.data.reference ?? -1]?.label ?? ''}
        talks={plan.data?.problems.some((p) => p.field === 'user_model') ?? false}
        wrong={(name) =>
          name === 'budget' ? budgetError : field === name ? inWords(plan.error) : null
        }
      />
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
      <h2 className="text-base">Settings</h2>
      <p className="mb-2 text-sm text-soft">
        Empty fields stay as each version has them. Every row is an arm of its own.
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

function bodyOf(versions: number[], models: number[], settings: Settings[], run: Run): PlanBody {
  return {
    versions,
    models,
    settings,
    dataset_version: run.dataset,
    split: run.split,
    repeats: Number(run.repeats) || 0,
    fresh: run.fresh,
    continuations: Number(run.continuations),
    user_model: run.userModel,
    racing: run.racing,
    reference: referenceIn(run.reference, versions, models, settings.length),
  }
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

/** The arm chosen as the reference, as long as it is still planned. */
function referenceIn(value: string, versions: number[], models: number[], rows: number) {
  const [version = 0, model = 0, settings = 0] = value.split(' ').map(Number)
  const planned = versions.includes(version) && models.includes(model) && settings < rows
  return value && planned ? { version, model, settings } : null
}
