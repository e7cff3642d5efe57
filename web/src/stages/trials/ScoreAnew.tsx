import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { briefKeys, scorecardsQuery } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { planRescoreQuery, rescore, trialQuery, trialsQuery } from '@/api/trials'
import { useWrite } from '@/api/useWrite'
import { Button, Choice, ErrorLine, Field, Waiting } from '@/parts/controls'
import { WayTo } from '@/parts/Lacking'
import { costInWords, plural, score, signed } from '@/parts/numbers'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useFrame } from '../frame'

type Measure = { measure: string; name?: string; weight?: number }

/** The stored answers by another scorecard: no call is made, and the former scores stay. */
export function ScoreAnew({ trial }: { trial: Schemas['TrialSummary'] }) {
  const { brief } = useFrame()
  const cards = useQuery({ ...scorecardsQuery(brief.id), staleTime: 0 })
  const [chosen, setChosen] = useState<number | null>(null)
  const {
    write,
    pending: busy,
    problem,
  } = useWrite([
    trialQuery(trial.id).queryKey,
    trialsQuery(brief.id).queryKey,
    ['output'],
    ...briefKeys(brief.id),
  ])
  const [budget, setBudget] = useTyped(`score anew ${trial.id}`, '')
  const [done, setDone] = useState<Schemas['RescoredShape'] | null>(null)
  const others = (cards.data ?? []).filter((c) => c.number !== (done?.scorecard ?? trial.scorecard))
  const number = chosen ?? others[0]?.number ?? null
  const plan = useQuery({
    ...planRescoreQuery(trial.id, { scorecard: number ?? 0 }),
    enabled: number !== null,
    retry: false,
  })
  if (cards.isPending) return <Waiting what="the scorecards" />
  if (cards.isLoadingError) return <ErrorLine>{inWords(cards.error)}</ErrorLine>
  const card = cards.data.find((c) => c.number === number)
  const go = async () => {
    if (number === null) return
    await write(async () => {
      setDone(await rescore(trial.id, { scorecard: number, budget: budget.trim() || null }))
      setChosen(null)
      forgetTyped(`score anew ${trial.id}`)
    })
  }
  const nameOf = (id: number) => {
    const arm = trial.arms.find((a) => a.id === id)
    return arm ? `${arm.in_words}, ${arm.settings_short}` : ''
  }
  return (
    <div className="grid gap-3 text-sm">
      <p className="text-soft">
        Trial {trial.number} is read by scorecard {done?.scorecard ?? trial.scorecard}. Its answers
        are scored from what is stored; none is asked for again, and the scores by the former
        scorecard stay for the way back.
      </p>
      {others.length === 0 ? (
        <p>
          There is no other scorecard: <WayTo words="write one" to={`/briefs/${brief.id}/brief`} />,
          then come back.
        </p>
      ) : (
        <div className="flex items-end gap-3">
          <Choice
            label="Read it by"
            value={number ?? ''}
            onChange={(e) => setChosen(Number(e.target.value))}
          >
            {others.map((c) => (
              <option key={c.number} value={c.number}>
                scorecard {c.number}
              </option>
            ))}
          </Choice>
          <span className="min-w-0 flex-1 pb-1.5 text-xs text-soft">
            {((card?.document as { measures?: Measure[] } | undefined)?.measures ?? [])
              .map((m) => `${m.name ?? m.measure} × ${m.weight ?? 1}`)
              .join(', ')}
          </span>
          <Button
            kind="main"
            disabled={busy || plan.isError || !plan.data}
            onClick={() => void go()}
          >
            {busy
              ? 'Scoring…'
              : plan.data?.calls
                ? `Score, with ${plural(plan.data.calls, 'call')}`
                : 'Score'}
          </Button>
        </div>
      )}
      {plan.isError && number !== null && <ErrorLine>{inWords(plan.error)}</ErrorLine>}
      {plan.data && plan.data.calls > 0 && (
        <div className="flex items-end gap-4 border-l-2 border-attention pl-3">
          <p className="flex-1">
            {plan.data.judges.length > 0 && (
              <>This scorecard has judges: {plan.data.judges.join(', ')}. </>
            )}
            {plan.data.twins && <>It has twins of each case asked. </>}
            {plural(plan.data.calls, 'call')} would be made
            {plan.data.cost === null
              ? ', at a price that is not known'
              : `, for about ${costInWords(plan.data.cost, plan.data.simulated_cost)}`}
            . The answers themselves are not asked for again.
          </p>
          {trial.budget !== null && (
            <Field
              label="New budget of the trial"
              className="w-40"
              inputMode="decimal"
              value={budget}
              onChange={(e) => setBudget(e.target.value)}
            />
          )}
        </div>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {done && (
        <table className="w-full">
          <caption className="pb-1 text-left text-xs text-soft">
            {done.outputs
              ? `${plural(done.outputs, 'answer')} scored anew.`
              : 'All were scored by it before.'}
            {done.to_judge > 0 &&
              ` ${plural(done.to_judge, 'answer')} ${plan.data?.judges.length ? 'go to the judge' : 'have their twins asked'} now: the board fills in as they come.`}{' '}
            What it changes, arm by arm:
          </caption>
          <thead>
            <tr className="border-b border-rule-strong text-left text-xs text-soft">
              <th className="py-1 font-normal">Arm</th>
              <th className="text-right font-normal">by {done.former}</th>
              <th className="text-right font-normal">by {done.scorecard}</th>
              <th className="text-right font-normal">change</th>
            </tr>
          </thead>
          <tbody>
            {done.arms.map((a) => (
              <tr key={a.arm} className="border-b border-rule">
                <td className="py-1 pr-3">{nameOf(a.arm)}</td>
                <td className="text-right font-mono">{score(a.before)}</td>
                <td className="text-right font-mono">{score(a.after)}</td>
                <td className="text-right font-mono">
                  {a.before !== null && a.after !== null ? signed(a.after - a.before) : ''}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  )
}
