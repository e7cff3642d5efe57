import { useQuery } from '@tanstack/react-query'
import { useNavigate } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { useConnections } from '@/api/connections'
import { planTrialQuery, startTrial, trialChoicesQuery } from '@/api/trials'
import { useWrite } from '@/api/useWrite'
import { saveVersion } from '@/api/versions'
import { useKeys } from '@/keys/useKeys'
import { Button } from '@/parts/controls'
import { count, costInWords } from '@/parts/numbers'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useFrame } from '../frame'
import { bodyOf, expanded, startOf } from '../trials/planned'
import type { Report } from './useReport'
import { reasonsFor, wishedAt } from './wishes/reasons'
import { toRows, type WorkingCopy } from './workingCopy'

type Props = {
  /** The trial whose arms and cases are run again. */
  like: number
  parent: number
  copy: WorkingCopy
  report: Report | undefined
  held: boolean
  onMade: (number: number) => void
}

/** Saves the text and runs the last plan with it beside its parent, in one press with the price on it. */
export function SaveAndRun({ like, parent, copy, report, held, onMade }: Props) {
  const { brief } = useFrame()
  const navigate = useNavigate()
  const models = (useConnections().data ?? []).flatMap((c) => c.models)
  const choices = useQuery({ ...trialChoicesQuery(like), retry: false })
  const [wished] = useTyped<Schemas['ReasonShape'][]>(wishedAt(brief.id), [])
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
    if (!plan.data || blocked || held || pending) return
    void write(async () => {
      const made = await saveVersion(brief.id, {
        messages: toRows(copy).filter((m) => m.content !== ''),
        settings: copy.settings,
        parent,
        second_parent: copy.secondParent,
        note: '',
        origin: 'typed',
        reasons: reasonsFor(report, wished),
      })
      forgetTyped(wishedAt(brief.id))
      try {
        await startTrial(brief.id, {
          ...bodyWith([parent, made.number]),
          reference: { version: parent, model: start.models[0] ?? 0, settings: 0, baseline: null },
          question: `Is v${made.number} better than v${parent}?`,
          budget: null,
        })
      } catch {
        // The version is saved; what keeps it from running stands on the plan.
        onMade(made.number)
        void navigate(`/briefs/${brief.id}/trials/plan?v=${made.number}`)
        return
      }
      onMade(made.number)
    })
  }
  useKeys({ 'draft.save_and_run': go })
  if (!ready || !plan.data) return null
  const calls = count(plan.data.calls)
  const price =
    plan.data.cost === null
      ? 'price unknown'
      : `about ${costInWords(plan.data.cost, plan.data.simulated_cost)}`
  return (
    <Button
      kind="main"
      disabled={held || pending || blocked !== undefined}
      title={
        blocked
          ? blocked.text
          : problem !== null
            ? inWords(problem)
            : `${calls} calls: the arms and cases of the last plan, beside v${parent}, whose answers are there`
      }
      onClick={go}
    >
      Save and run, {price}
    </Button>
  )
}
