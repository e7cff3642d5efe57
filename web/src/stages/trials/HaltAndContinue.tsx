import { useState } from 'react'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { cancelTrial, continueTrial, pauseTrial, trialQuery } from '@/api/trials'
import { useWrite } from '@/api/useWrite'
import { Button } from '@/parts/controls'
import { count } from '@/parts/numbers'
import { useFrame } from '../frame'

type Trial = Schemas['TrialSummary']

/** Do something to a trial, then ask for it again; what went wrong is kept to be shown. */
export function useTrialAction(trialId: number) {
  const { brief } = useFrame()
  const { write, problem } = useWrite([trialQuery(trialId).queryKey, ...briefKeys(brief.id)])
  /** Whether it was done. */
  const run = async (act: () => Promise<unknown>): Promise<boolean> =>
    (await write(async () => {
      await act()
      return true
    })) ?? false
  return { run, problem }
}

export function HaltButtons({ trial }: { trial: Trial }) {
  const { run, problem } = useTrialAction(trial.id)
  return (
    <>
      {problem !== null && <span className="text-sm text-harm">{inWords(problem)}</span>}
      <Button
        disabled={trial.asked !== ''}
        title="No new calls; those under way come in and are kept"
        onClick={() => void run(() => pauseTrial(trial.id))}
      >
        {trial.asked === 'pause' ? 'Pausing…' : 'Pause'}
      </Button>
      <Button
        kind="harm"
        disabled={trial.asked === 'stop'}
        title="At once; the calls under way are dropped"
        onClick={() => void run(() => cancelTrial(trial.id))}
      >
        {trial.asked === 'stop' ? 'Stopping…' : 'Stop'}
      </Button>
    </>
  )
}

/** What an ended trial is missing can be had without paying for the rest again. */
export function ContinueButton({ trial }: { trial: Trial }) {
  const { run, problem } = useTrialAction(trial.id)
  const [budget, setBudget] = useState('')
  const failed = trial.arms.reduce((n, a) => n + a.failed, 0)
  const missing = trial.n_outputs - trial.done + failed
  if (missing === 0 && trial.unjudged === 0) return null
  const paused = trial.state === 'paused'
  const spent = paused && trial.message !== ''
  const goOn = () =>
    run(() => continueTrial(trial.id, spent ? { budget: budget.trim() || null } : {}))
  return (
    <>
      {problem !== null && <span className="text-sm text-harm">{inWords(problem)}</span>}
      {spent && (
        <input
          aria-label="New budget of this trial"
          placeholder="new budget"
          inputMode="decimal"
          className="h-8 w-24 rounded-sm border border-rule-strong bg-sheet px-2 text-sm"
          value={budget}
          onChange={(e) => setBudget(e.target.value)}
        />
      )}
      <Button onClick={() => void goOn()}>
        {paused
          ? 'Go on'
          : missing === 0
            ? `Ask ${trial.judges.length ? 'the judge' : 'the twins'} again for ${count(trial.unjudged)}`
            : failed === missing
              ? `Ask the ${count(failed)} failed again`
              : `Run the ${count(missing)} missing`}
      </Button>
    </>
  )
}
