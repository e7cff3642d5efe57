import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { inWords, Problem, type Schemas } from '@/api/client'
import { baselinesQuery } from '@/api/baselines'
import { useConnections } from '@/api/connections'
import { askAfresh, extendTrial, planExtensionQuery } from '@/api/trials'
import { Button, Choice, ErrorLine, Field, TextAction } from '@/parts/controls'
import { costInWords, count, money, plural } from '@/parts/numbers'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useFrame } from '../frame'
import { useTrialAction } from './HaltAndContinue'

type Trial = Schemas['TrialSummary']
type Body = Schemas['ExtendRequest']

/** Add repeats, cases or arms to an ended trial, or ask an arm of it again. */
export function ExtendForm({
  trial,
  close,
  rest: asked = false,
}: {
  trial: Trial
  close: () => void
  /** Opened to take the rest of the cases in. */
  rest?: boolean
}) {
  const { brief } = useFrame()
  const models = (useConnections().data ?? []).flatMap((c) => c.models)
  const { run, problem } = useTrialAction(trial.id)
  const dataset = brief.datasets.find((d) => d.name === trial.dataset)
  const later = dataset && dataset.version_id !== trial.dataset_version ? dataset : null
  const place = `extend ${trial.id}`
  const [repeats, setRepeats] = useTyped(`${place} repeats`, String(trial.repeats))
  const [newCases, setNewCases] = useTyped(`${place} cases`, false)
  const [rest, setRest] = useTyped(`${place} rest`, asked)
  const [version, setVersion] = useTyped(`${place} version`, '')
  const [model, setModel] = useTyped(`${place} model`, '')
  const [brought, setBrought] = useTyped(`${place} brought in`, '')
  const elsewhere = (useQuery(baselinesQuery(brief.id)).data ?? []).filter(
    (b) => b.dataset === dataset?.id && !trial.arms.some((a) => a.name === b.name),
  )
  const [budget, setBudget] = useTyped(`${place} budget`, '')
  const [afresh, setAfresh] = useTyped(`${place} afresh`, '')
  const body: Body = {
    repeats: Number(repeats) || 0,
    dataset_version: newCases && later ? later.version_id : null,
    versions: version && model ? [Number(version)] : [],
    models: version && model ? [Number(model)] : [],
    settings: [],
    rest,
    baselines: brought ? [Number(brought)] : [],
    budget: budget.trim() || null,
  }
  const untouched =
    Number(repeats) === trial.repeats && !newCases && !rest && !brought && !(version && model)
  const plan = useExtension(trial.id, body, !untouched)
  const act = async (work: () => Promise<unknown>) => {
    if (!(await run(work))) return
    forgetTyped(place)
    close()
  }
  const again = () =>
    act(() =>
      askAfresh(trial.id, {
        arm: afresh === 'all' ? null : Number(afresh),
        output: null,
        budget: budget.trim() || null,
      }),
    )
  const field = plan.error instanceof Problem ? plan.error.field : null
  return (
    <div className="grid gap-5">
      <p className="text-sm text-soft">
        What this trial has is kept and not asked for again. Figures of an extended trial say that
        it was.
      </p>
      <div className="grid grid-cols-3 gap-3">
        <Field
          label={`Repeats, now ${trial.repeats}`}
          inputMode="numeric"
          value={repeats}
          error={field === 'repeats' ? inWords(plan.error) : null}
          onChange={(e) => setRepeats(e.target.value)}
        />
        <OneMore models={models} version={[version, setVersion]} model={[model, setModel]} />
      </div>
      <Elsewhere all={elsewhere} chosen={brought} onChoose={setBrought} />
      {trial.choice && (
        <label className="flex items-center gap-2 text-sm">
          <input type="checkbox" checked={rest} onChange={(e) => setRest(e.target.checked)} />
          The rest of the cases too: this trial took {trial.choice}
        </label>
      )}
      {later ? (
        <label className="flex items-center gap-2 text-sm">
          <input
            type="checkbox"
            checked={newCases}
            onChange={(e) => setNewCases(e.target.checked)}
          />
          Also the cases that came since, in version {later.version} of {later.name}
        </label>
      ) : (
        <p className="text-sm text-soft">{trial.dataset} has no newer cases than this trial.</p>
      )}
      {field === 'dataset_version' && <ErrorLine>{inWords(plan.error)}</ErrorLine>}
      {trial.budget !== null && (
        <Field
          label={`New budget of the whole trial, now ${money(trial.budget)}`}
          className="w-64"
          inputMode="decimal"
          value={budget}
          onChange={(e) => setBudget(e.target.value)}
        />
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {plan.error && field !== 'repeats' && field !== 'dataset_version' && (
        <ErrorLine>{inWords(plan.error)}</ErrorLine>
      )}
      {plan.data?.problems
        .filter((p) => p.severity === 'error')
        .map((p) => (
          <ErrorLine key={p.text}>
            {p.arm}: {p.text}
          </ErrorLine>
        ))}
      <div className="flex items-center gap-4">
        <Button
          kind="main"
          disabled={!untouched && !plan.data && plan.error === null}
          lacks={[
            untouched && 'nothing to add is chosen above',
            !untouched && plan.error !== null && 'what is told above',
          ]}
          onClick={() => void act(() => extendTrial(trial.id, body))}
        >
          {plan.data && !untouched ? `Add ${plural(plan.data.added, 'answer')}` : 'Add'}
        </Button>
        {plan.data && !untouched && (
          <span className="text-sm text-soft">
            about{' '}
            {plan.data.cost === null
              ? 'an unknown price'
              : costInWords(plan.data.cost, plan.data.simulated_cost)}
            {plan.data.in_store ? `, ${count(plan.data.in_store)} are in the store already` : ''}
          </span>
        )}
      </div>
      <AskAgain
        trial={trial}
        chosen={afresh}
        onChoose={setAfresh}
        onAsk={() => void again()}
        close={close}
      />
    </div>
  )
}

type Chosen = [string, (value: string) => void]
type MoreProps = { models: Schemas['ModelShape'][]; version: Chosen; model: Chosen }

/** A further version on a model. */
function OneMore({ models, version, model }: MoreProps) {
  const { brief } = useFrame()
  return (
    <>
      <Choice
        label="One more arm: version"
        value={version[0]}
        onChange={(e) => version[1](e.target.value)}
      >
        <option value="">none</option>
        {[...brief.versions].reverse().map((v) => (
          <option key={v.number} value={v.number}>
            v{v.number} {v.note}
          </option>
        ))}
      </Choice>
      <Choice label="on model" value={model[0]} onChange={(e) => model[1](e.target.value)}>
        <option value="">none</option>
        {models.map((m) => (
          <option key={m.id} value={m.id}>
            {m.name}
          </option>
        ))}
      </Choice>
    </>
  )
}

type ElsewhereProps = {
  all: Schemas['BaselineShape'][]
  chosen: string
  onChoose: (id: string) => void
}

/** Answers from elsewhere, to stand beside what the trial has. */
function Elsewhere({ all, chosen, onChoose }: ElsewhereProps) {
  if (all.length === 0) return null
  return (
    <Choice
      label="Answers from elsewhere beside it"
      className="w-72"
      value={chosen}
      onChange={(e) => onChoose(e.target.value)}
    >
      <option value="">none</option>
      {all.map((b) => (
        <option key={b.id} value={b.id}>
          {b.name}, {count(b.n_answered)} answered
        </option>
      ))}
    </Choice>
  )
}

type AgainProps = {
  trial: Trial
  chosen: string
  onChoose: (chosen: string) => void
  onAsk: () => void
  close: () => void
}

function AskAgain({ trial, chosen, onChoose, onAsk, close }: AgainProps) {
  return (
    <section className="border-t border-rule pt-4">
      <h3 className="mb-2 font-serif text-base font-semibold">Ask again what has an answer</h3>
      <div className="flex items-end gap-3">
        <Choice
          label="Which answers"
          className="w-72"
          value={chosen}
          onChange={(e) => onChoose(e.target.value)}
        >
          <option value="">choose</option>
          {trial.arms
            .filter((a) => !a.brought_in)
            .map((a) => (
              <option key={a.id} value={a.id}>
                {a.letter}: {a.name}, {count(a.n)}
              </option>
            ))}
          <option value="all">all {count(trial.done)} of this trial</option>
        </Choice>
        <Button lacks={[chosen === '' && 'it is not said which answers']} onClick={onAsk}>
          Ask afresh
        </Button>
      </div>
      <p className="mt-2 text-xs text-soft">
        The former answers stay beside the new ones and count no more; the new ones are paid for. A
        single answer is asked again from the answer itself.{' '}
        <TextAction onClick={close}>Leave it as it is</TextAction>
      </p>
    </section>
  )
}

function useExtension(trialId: number, body: Body, enabled: boolean) {
  const text = JSON.stringify(body)
  const [settled, setSettled] = useState(text)
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(text), 250)
    return () => window.clearTimeout(timer)
  }, [text])
  return useQuery({
    ...planExtensionQuery(trialId, JSON.parse(settled) as Body),
    enabled: enabled && settled === text,
    retry: false,
  })
}
