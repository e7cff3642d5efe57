import { useQuery } from '@tanstack/react-query'
import { useNavigate } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords } from '@/api/client'
import { useConnections } from '@/api/connections'
import { planTrialQuery, startTrial, trialChoicesQuery } from '@/api/trials'
import { useWrite } from '@/api/useWrite'
import { costInWords, count } from '@/parts/numbers'
import { useFrame } from '../frame'
import { bodyOf, expanded, startOf } from './planned'

type Given = {
  /** The trial whose arms and cases are run again. */
  like: number
  parent: number
  /** Saves the new version; its number. */
  save: () => Promise<number>
  onMade: (number: number) => void
}

/** A new version saved and run with the arms and cases of a former plan beside its parent, at a price told. */
export function useRunLike({ like, parent, save, onMade }: Given) {
  const { brief } = useFrame()
  const navigate = useNavigate()
  const models = (useConnections().data ?? []).flatMap((c) => c.models)
  const choices = useQuery({ ...trialChoicesQuery(like), retry: false })
  const { write, pending, problem } = useWrite([...briefKeys(brief.id)])
  const start = startOf(choices.data ?? null, false, brief, parent, models)
  const { settings } = expanded(start.settings)
  const bodyWith = (versions: number[]) => bodyOf(versions, start.models, settings, start.run, [])
  // What the new version costs is what its parent would, asked afresh; the parent's answers are there.
  const body = { ...bodyWith([parent]), fresh: true }
  const ready = choices.data !== undefined && start.models.length > 0 && start.run.dataset > 0
  const plan = useQuery({ ...planTrialQuery(brief.id, body), enabled: ready, retry: false })
  const blocked = plan.data?.problems.find((p) => p.severity === 'error')
  const go = () => {
    if (!plan.data || blocked || pending) return
    void write(async () => {
      const number = await save()
      try {
        await startTrial(brief.id, {
          ...bodyWith([parent, number]),
          reference: { version: parent, model: start.models[0] ?? 0, settings: 0, baseline: null },
          question: `Is v${number} better than v${parent}?`,
          budget: null,
        })
      } catch {
        // The version is saved; what keeps it from running stands on the plan.
        onMade(number)
        void navigate(`/briefs/${brief.id}/trials/plan?v=${number}`)
        return
      }
      onMade(number)
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
      : problem !== null
        ? inWords(problem)
        : `${count(plan.data?.calls ?? 0)} calls: the arms and cases of the last plan, beside v${parent}, whose answers are there`,
  }
}
