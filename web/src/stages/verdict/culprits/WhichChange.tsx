import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { planCulpritsQuery, startCulprits } from '@/api/culprits'
import { useWrite } from '@/api/useWrite'
import { Chooser } from '@/parts/Chooser'
import { Button, ErrorLine, TextAction } from '@/parts/controls'
import { costInWords, count, plural } from '@/parts/numbers'
import { PlanProblems } from '@/parts/PlanProblems'
import { useFrame } from '../../frame'
import { Shares } from './Shares'
import { UNDER_WAY, useCulprits } from './useCulprits'

type Arm = Schemas['ArmOnBoard']
// A pair of orders and the pair turned round: the fewest whose spread can be told.
const FEW_ORDERS = 4

type Props = { trial: Schemas['TrialSummary']; a: Arm; b: Arm }

/** Which of the amendments between two arms moved the cases: asked for, under way, or found. */
export function WhichChange({ trial, a, b }: Props) {
  const { brief } = useFrame()
  // The later version is the newer one, whichever of the two is asked about.
  const [older, newer] = (a.version ?? 0) > (b.version ?? 0) ? [b, a] : [a, b]
  const possible =
    trial.state === 'complete' &&
    trial.split === 'working' &&
    older.version !== null &&
    newer.version !== null &&
    older.version !== newer.version &&
    older.model === newer.model
  const { found, isRead, refresh } = useCulprits(
    brief.id,
    trial.id,
    possible ? older.id : undefined,
    newer.id,
  )
  const [again, setAgain] = useState(false)
  const [orders, setOrders] = useState(0)
  const body = { older: older.id, newer: newer.id, orders, budget: null }
  const wanted = possible && isRead && (!found || again)
  const plan = useQuery({ ...planCulpritsQuery(trial.id, body), enabled: wanted, retry: false })
  const { write, pending, problem } = useWrite([...briefKeys(brief.id)])
  const start = () =>
    void write(async () => {
      await startCulprits(trial.id, body)
      setAgain(false)
      refresh()
    })
  if (!possible || !isRead) return null
  if (found && !again) {
    if (found.state === 'complete')
      return (
        <Shares
          found={found}
          trial={trial}
          onAgain={() => [setOrders(0), setAgain(true)]}
          onOrders={() => [setOrders(FEW_ORDERS), setAgain(true)]}
        />
      )
    return (
      <Part>
        <p className="text-sm" role="status">
          {UNDER_WAY.includes(found.state)
            ? `It is being found out: ${count(found.done)} of ${count(found.of_outputs)} answers are there.`
            : `Finding it out is ${found.state}: ${count(found.done)} of ${count(found.of_outputs)} answers are there; the rest can be run from its page.`}{' '}
          <Link
            className="text-action underline underline-offset-2"
            to={`/briefs/${brief.id}/trials/${found.trial}`}
          >
            Trial {found.trial_number}
          </Link>
        </p>
      </Part>
    )
  }
  const p = plan.data
  // One amendment alone, or nothing moved: there is nothing to find out.
  if (!p) return null
  const blocked = p.problems.some((x) => x.severity === 'error')
  const price = p.cost === null ? 'price unknown' : `about ${costInWords(p.cost, p.simulated_cost)}`
  return (
    <Part>
      <p className="text-sm">
        Of {plural(p.amendments.length, 'amendment')} it is not known which moved the{' '}
        {count(p.n_better + p.n_worse)} cases.{' '}
        <span className="text-soft">
          {plural(p.texts, 'text')} with some of them,{' '}
          {p.exact
            ? 'every one that is possible'
            : p.orders > 0
              ? 'each alone, and all that lie on the way in'
              : 'each added alone and each taken back alone'}
          {p.orders > 0 && (
            <>
              {' '}
              <Chooser label="Orders" words={`${p.orders} orders drawn`}>
                <p className="mb-2 text-xs text-soft">
                  More orders, narrower intervals. What an amendment adds depends on what was taken
                  before it; a share is its mean over orders.
                </p>
                <span className="flex gap-3">
                  {[FEW_ORDERS, 8, 16, 32].map((n) => (
                    <TextAction key={n} onClick={() => setOrders(n)}>
                      {n}
                    </TextAction>
                  ))}
                </span>
              </Chooser>
            </>
          )}
          , would be asked on {plural(p.n_cases, 'case')}: those that moved, and as many that did
          not.
        </span>
      </p>
      <PlanProblems problems={p.problems} />
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <p className="mt-2 flex items-center gap-3">
        <Button
          disabled={pending}
          lacks={[blocked && 'what is told in red stands in the way']}
          onClick={start}
        >
          Find out which did it, {plural(p.calls, 'call')}, {price}
        </Button>
        {again && <TextAction onClick={() => setAgain(false)}>Back to what was found</TextAction>}
      </p>
    </Part>
  )
}

function Part({ children }: { children: React.ReactNode }) {
  return (
    <section className="mt-5" aria-label="Which change did it" id="which">
      <h2 className="mb-1 border-b border-rule-strong pb-1 text-base">Which change did it</h2>
      {children}
    </section>
  )
}
