import { useEffect, useState } from 'react'
import type { Schemas } from '@/api/client'
import { ErrorLine, Simulated } from '@/parts/controls'
import { costInWords, count, duration, money, plural } from '@/parts/numbers'

type Trial = Schemas['TrialSummary']

export function Progress({ trial, done }: { trial: Trial; done: number }) {
  const share = trial.n_outputs ? done / trial.n_outputs : 0
  const open = trial.state === 'running' || trial.state === 'queued'
  const left = useTimeLeft(trial, done)
  const words = [
    `trial ${trial.number}`,
    `${count(done)} of ${count(trial.n_outputs)}`,
    trial.asked === 'stop'
      ? 'stopping'
      : trial.asked === 'pause'
        ? 'pausing when the calls under way are in'
        : trial.state === 'queued'
          ? 'waiting for the worker'
          : open
            ? (left ?? 'running')
            : trial.state,
    trial.extensions > 0 && 'extended after it had ended',
    trial.spared > 0 && `${count(trial.spared)} spared by dropping losers`,
    trial.judges.length > 0 && `judged by ${trial.judges.join(', ')}`,
    trial.reused > 0 && `${count(trial.reused)} from the store`,
    `${costInWords(trial.spent ?? 0, trial.simulated_spent)}${open && trial.estimate.cost ? ` of about ${money(trial.estimate.cost)}` : ''}${trial.budget === null ? '' : `, budget ${money(trial.budget)}`}`,
    `${plural(trial.n_cases, trial.split === 'held-out' ? 'held-out case' : 'working case')}${trial.choice ? ` (${trial.choice})` : ''}${trial.repeats > 1 ? ` × ${trial.repeats} repeats` : ''}, scorecard ${trial.scorecard}`,
  ]
  return (
    <div className="mt-0.5 mb-1 flex items-center gap-3 text-sm text-soft">
      {trial.arms.some((a) => a.simulated) &&
        trial.arms.every((a) => a.simulated || a.brought_in) && <Simulated />}
      <div
        role="progressbar"
        aria-label="Outputs stored"
        aria-valuenow={done}
        aria-valuemin={0}
        aria-valuemax={trial.n_outputs}
        className={`h-1.5 w-32 shrink-0 bg-rule ${share >= 1 && !open ? 'hidden' : ''}`}
      >
        <div className="h-full bg-ink" style={{ width: `${share * 100}%` }} />
      </div>
      <span className="truncate">{words.filter(Boolean).join(' · ')}</span>
    </div>
  )
}

/** How long the rest will take at the pace since this trial started. */
function useTimeLeft(trial: Trial, done: number): string | null {
  const [now, setNow] = useState(() => Date.now())
  const running = trial.state === 'running'
  useEffect(() => {
    if (!running) return
    const timer = window.setInterval(() => setNow(Date.now()), 1000)
    return () => window.clearInterval(timer)
  }, [running])
  if (!running || !trial.started_at || done < 10) return null
  const passed = (now - new Date(trial.started_at).getTime()) / 1000
  if (passed <= 1) return null
  return `about ${duration(((trial.n_outputs - done) * passed) / done)} left`
}

/** Why a trial stands still, in words. */
export function Standing({ trial: t }: { trial: Trial }) {
  return (
    <>
      {t.message && t.state !== 'paused' && (
        <ErrorLine>The trial stopped: {t.message}. Answers that had come in are kept.</ErrorLine>
      )}
      {t.state === 'paused' && (
        <p className="mb-2 border-l-2 border-attention bg-wash-attention px-3 py-2 text-sm text-attention-text">
          {t.message
            ? `Paused: ${t.message}. Answers that came in are kept; ${t.budget !== null && (t.spent ?? 0) >= t.budget ? 'give a higher budget to go on' : 'it goes on where it stood when you say so'}.`
            : 'Paused. Answers that came in are kept; it goes on where it stood.'}
        </p>
      )}
      {t.trouble && (
        <ErrorLine>
          Nothing can be stored just now: {t.trouble}. Answers that came in wait in memory and no
          new calls are made; it goes on by itself once the disk can be written to.
        </ErrorLine>
      )}
    </>
  )
}
