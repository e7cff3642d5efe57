import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { briefKeys } from '@/api/briefs'
import type { Schemas } from '@/api/client'
import { planRoundsQuery, startRounds } from '@/api/rounds'
import { useWrite } from '@/api/useWrite'
import { PlanProblems } from '@/parts/PlanProblems'
import { Wording } from '@/parts/Wording'
import { Button, Choice, ErrorLine, Field, TextAction } from '@/parts/controls'
import { Lacking } from '@/parts/Lacking'
import { costInWords, count, plural, lookedAt } from '@/parts/numbers'
import { placed } from '@/parts/placed'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useModels } from '../../draft/try/ModelPicks'
import { useFrame } from '../../frame'

type Body = Schemas['RoundsRequest']

/** What rounds begin with and may take; their price at most is told before they start. */
export function StartRounds({ onStarted }: { onStarted: (id: number) => void }) {
  const { brief, inHand } = useFrame()
  const models = useModels()
  const usable = brief.datasets.filter((d) => d.working > 0 && !d.archived)
  const place = `rounds ${brief.id}`
  const [version, setVersion] = useTyped(`${place} version beside ${inHand ?? 'none'}`, inHand ?? 0)
  const [model, setModel] = useTyped<number | null>(`${place} model`, null)
  const [amender, setAmender] = useTyped<number | null>(`${place} amender`, null)
  const [dataset, setDataset] = useTyped(`${place} dataset`, usable[0]?.version_id ?? 0)
  const [rounds, setRounds] = useTyped(`${place} many`, '2')
  const [candidates, setCandidates] = useTyped(`${place} candidates`, '3')
  const [repeats, setRepeats] = useTyped(`${place} repeats`, '1')
  const [budget, setBudget] = useTyped(`${place} budget`, '')
  const [instruction, setInstruction] = useTyped<string | null>(`${place} instruction`, null)
  const [reading, setReading] = useState(false)
  const { write, pending: busy, problem } = useWrite([...briefKeys(brief.id)])
  const target = model ?? models[0]?.id ?? 0
  const proposer = amender ?? models.at(-1)?.id ?? 0
  const body: Body = {
    version,
    model: target,
    amender: proposer,
    dataset_version: dataset,
    settings: {},
    instruction: instruction ?? '',
    rounds: Number(rounds) || 0,
    candidates: Number(candidates) || 0,
    repeats: Number(repeats) || 0,
  }
  const plan = useQuery({
    ...planRoundsQuery(brief.id, body),
    enabled: version > 0 && target > 0 && dataset > 0,
    placeholderData: (former) => former,
  })
  const at = `/briefs/${brief.id}`
  const ways = [
    brief.versions.length === 0 && { words: 'write and save a first version', to: `${at}/draft` },
    usable.length === 0 && { words: 'bring working cases in', to: `${at}/cases` },
    models.length === 0 && { words: 'add a model', to: '/models' },
  ].filter((w) => w !== false)
  if (ways.length > 0) return <Lacking title="Rounds cannot begin yet." ways={ways} />
  const { wrong, elsewhere } = placed(
    [problem, plan.error],
    ['rounds', 'candidates', 'repeats', 'budget', 'instruction'],
  )
  const start = () =>
    write(async () => {
      const made = await startRounds(brief.id, { ...body, budget: budget.trim() || null })
      forgetTyped(place)
      onStarted(made.id)
    })
  const blocked =
    !plan.data || plan.isError || plan.data.problems.some((p) => p.severity === 'error')
  return (
    <div className="mt-3 grid max-w-3xl gap-4">
      <WhoAndWhat
        version={version}
        setVersion={setVersion}
        models={models}
        target={target}
        setModel={setModel}
        proposer={proposer}
        setAmender={setAmender}
      />
      <div className="flex flex-wrap items-start gap-4">
        {usable.length > 1 && (
          <Choice
            label="Cases"
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
          label="Rounds at most"
          className="w-28"
          inputMode="numeric"
          value={rounds}
          error={wrong('rounds')}
          onChange={(e) => setRounds(e.target.value)}
        />
        <Field
          label="Candidates a round"
          className="w-32"
          inputMode="numeric"
          value={candidates}
          error={wrong('candidates')}
          onChange={(e) => setCandidates(e.target.value)}
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
          label="Budget for all of it, if any"
          className="w-44"
          inputMode="decimal"
          value={budget}
          error={wrong('budget')}
          onChange={(e) => setBudget(e.target.value)}
        />
      </div>
      <div>
        <TextAction light className="text-sm" onClick={() => setReading(!reading)}>
          {reading ? 'Hide what is asked' : 'Read or change what the proposing model is asked…'}
        </TextAction>
        {reading && (
          <div className="mt-2">
            <Wording
              of="amendments"
              text={instruction ?? plan.data?.instruction ?? ''}
              error={wrong('instruction')}
              onText={setInstruction}
            />
          </div>
        )}
      </div>
      {elsewhere && <ErrorLine>{elsewhere}</ErrorLine>}
      <PlanProblems problems={plan.data?.problems} />
      <div className="flex items-baseline gap-4 border-t border-rule pt-3">
        <Button
          kind="main"
          disabled={busy || plan.isFetching}
          lacks={[blocked && 'what is told in red stands in the way']}
          onClick={() => void start()}
        >
          Start {plural(body.rounds ?? 0, 'round')}
        </Button>
        {plan.data && !plan.isError && <p className="text-sm text-soft">{atMost(plan.data)}</p>}
      </div>
    </div>
  )
}

function atMost(plan: Schemas['RoundsPlanShape']): string {
  const price =
    plan.cost === null
      ? `price unknown: ${plan.unpriced.join(', ')} has none`
      : `about ${costInWords(plan.cost, plan.simulated_cost)}`
  const held =
    plan.n_held_out === 0
      ? 'There are no held-out cases, so a gain cannot be checked at the end.'
      : `${plural(plan.n_held_out, 'held-out case')} for the check at the end, ${lookedAt(plan.looks)} so far.`
  return `At most ${count(plan.calls)} calls on ${plural(plan.n_working, 'working case')}, ${price}; losing candidates are dropped early. ${held}`
}

type WhoProps = {
  version: number
  setVersion: (n: number) => void
  models: Schemas['ModelShape'][]
  target: number
  setModel: (id: number) => void
  proposer: number
  setAmender: (id: number) => void
}

/** The text to begin with, the model it is for, and the one that proposes. */
function WhoAndWhat(props: WhoProps) {
  const { version, setVersion, models, target, setModel, proposer, setAmender } = props
  const { brief } = useFrame()
  return (
    <div className="grid grid-cols-[1fr_1fr_1fr] gap-4">
      <Choice
        label="Begin with"
        value={version}
        onChange={(e) => setVersion(Number(e.target.value))}
      >
        {[...brief.versions]
          .reverse()
          .filter((v) => !v.archived)
          .map((v) => (
            <option key={v.number} value={v.number}>
              v{v.number}
              {v.note ? `: ${v.note}` : ''}
            </option>
          ))}
      </Choice>
      <Choice
        label="The model it is for"
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
      <Choice
        label="The model that proposes"
        value={proposer}
        onChange={(e) => setAmender(Number(e.target.value))}
      >
        {models.map((m) => (
          <option key={m.id} value={m.id}>
            {m.name}
            {m.simulated ? ' (simulated)' : ''}
          </option>
        ))}
      </Choice>
    </div>
  )
}
