import { Link, useParams } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { useTrials } from '@/api/trials'
import { Empty, ErrorLine, Waiting } from '@/parts/controls'
import { useFrame } from '../frame'
import { Board } from './Board'

/** Trials: the newest trial's board, and the way to the others and to a new one. */
export function TrialsStage() {
  const { brief } = useFrame()
  const params = useParams()
  const trials = useTrials(brief.id)
  if (trials.isPending)
    return (
      <div className="px-6">
        <Waiting what="the trials" />
      </div>
    )
  if (trials.isLoadingError)
    return (
      <div className="p-6">
        <ErrorLine>{inWords(trials.error)}</ErrorLine>
      </div>
    )
  const wanted = params.trialId ? Number(params.trialId) : shownFirst(trials.data)
  const plan = `/briefs/${brief.id}/trials/plan`
  if (wanted === null) {
    return (
      <div className="px-6">
        <Empty title="No trial has been run.">
          A trial runs versions on models over the cases, and shows calls, tokens and price before
          anything is paid for.{' '}
          <Link className="font-semibold text-action underline" to={plan}>
            Plan the first one
          </Link>
        </Empty>
      </div>
    )
  }
  return <Board key={wanted} trialId={wanted} />
}

/** What runs, else the newest that compares arms, else the newest. */
function shownFirst(trials: Schemas['TrialRow'][]): number | null {
  const first =
    trials.find((t) => ['queued', 'running'].includes(t.state)) ??
    trials.find((t) => t.purpose === 'compare') ??
    trials[0]
  return first?.id ?? null
}
