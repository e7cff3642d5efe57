import { useQuery } from '@tanstack/react-query'
import { useNavigate } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords } from '@/api/client'
import { useConnections } from '@/api/connections'
import { planTrialQuery, startTrial, trialChoicesQuery } from '@/api/trials'
import { useWrite } from '@/api/useWrite'
import { costInWords, count, inAList } from '@/parts/numbers'
import { useFrame } from '../frame'
import { ALL_CASES, bodyOf, expanded, startOf } from './planned'

type Given = {
  /** The trial whose arms and cases are run again. */
  like: number
  parent: number
  /** Saves the new version; its number. */
  save: () => Promise<number>
  /** trial: what was started; none where something kept it from running. */
  onMade: (number: number, trial?: number) => void
  /** Further versions to stand beside it: then all working cases of the plan's dataset are asked. */
  also?: number[]
}

/** A new version saved and run with the arms and cases of a former plan beside its parent, at a price told. */
export function useRunLike({ like, parent, save, onMade, also }: Given) {
  const { brief } = useFrame()
  const navigate = useNavigate()
  const models = (useConnections().data ?? []).flatMap((c) => c.models)
  const choices = useQuery({ ...trialChoicesQuery(like), retry: false })
  const { write, pending, problem } = useWrite([...briefKeys(brief.id)])
  const start = startOf(choices.data ?? null, also !== undefined, brief, parent, models)
  const run = also ? { ...start.run, split: 'working', cases: ALL_CASES } : start.run
  const { settings } = expanded(start.settings)
  const bodyWith = (versions: number[]) => bodyOf(versions, start.models, settings, run, [])
  // What the new version costs is what its parent would, asked afresh; the parent's answers are there.
  const body = { ...bodyWith([parent]), fresh: true }
  const ready = choices.data !== undefined && start.models.length > 0 && start.run.dataset > 0
  const plan = useQuery({ ...planTrialQuery(brief.id, body), enabled: ready, retry: false })
  const blocked = plan.data?.problems.find((p) => p.severity === 'error')
  // Only the plan can be told that it shall run without a score.
  const asks = plan.data?.problems.find((p) => p.severity === 'ask')
  const go = () => {
    if (!plan.data || blocked || pending) return
    void write(async () => {
      const number = await save()
      try {
        const started = await startTrial(brief.id, {
          ...bodyWith([...(also ?? []), parent, number]),
          reference: { version: parent, model: start.models[0] ?? 0, settings: 0, baseline: null },
          question: `Is v${number} better than ${inAList([parent, ...(also ?? [])].map((n) => `v${n}`))}?`,
          budget: null,
          unscored: false,
        })
        onMade(number, started.id)
      } catch {
        // The version is saved; what keeps it from running stands on the plan.
        onMade(number)
        void navigate(`/briefs/${brief.id}/trials/plan?v=${number}`)
      }
    })
  }
  return {
    go,
    ready: ready && plan.data !== undefined,
    disabled: pending || blocked !== undefined,
    price:
      !plan.data || plan.data.cost === null
        ? 'price unknown'
        : `about ${costInWords(plan.data.cost, plan.data.simulated_cost)}`,
    title: blocked
      ? blocked.text
      : asks
        ? `${asks.text}: the version is saved, and the plan asks whether it shall run all the same`
        : problem !== null
          ? inWords(problem)
          : `${count(plan.data?.calls ?? 0)} calls: the arms and cases of the last plan, beside v${parent}, whose answers are there`,
  }
}
