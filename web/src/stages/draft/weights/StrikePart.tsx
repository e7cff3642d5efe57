import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { planStrikeQuery, saveTrimmed, startStrike } from '@/api/weights'
import { Button, ErrorLine } from '@/parts/controls'
import { costInWords, count, plural, signed } from '@/parts/numbers'
import { useFrame } from '../../frame'
import { namesOf } from './words'

type Props = { weighing: Schemas['WeighingShape']; struck: number[]; onChange: () => void }

/** What seems to do nothing is struck together and tested: each alone may seem idle because another says the same. */
export function StrikePart({ weighing, struck, onChange }: Props) {
  const { write, pending: busy, problem } = useWrite()
  const plan = useQuery({
    ...planStrikeQuery(weighing.id, { clauses: struck }),
    enabled: struck.length > 0,
    retry: false,
  })
  const tested = weighing.strikes.some(
    (s) => s.state === 'complete' && s.clauses.join() === [...struck].sort((a, b) => a - b).join(),
  )
  const start = () =>
    write(async () => {
      await startStrike(weighing.id, { clauses: struck })
      onChange()
    })
  return (
    <section className="mt-5 border-t border-rule pt-4">
      <h2 className="text-base">Struck together</h2>
      {weighing.strikes.map((s) => (
        <Struck key={s.id} strike={s} version={weighing.version} />
      ))}
      {tested ? null : struck.length === 0 ? (
        <p className="mt-2 text-sm text-soft">
          {weighing.strikable.length === 0
            ? 'No clause was found to do nothing or to hurt. Tick clauses to test them all the same.'
            : 'Tick the clauses to strike.'}
        </p>
      ) : (
        <div className="mt-2 flex items-baseline gap-4">
          <Button disabled={busy || !plan.data} onClick={() => void start()}>
            Test without{' '}
            {struck.length > 4
              ? plural(struck.length, 'clause')
              : namesOf(struck).replaceAll(' with ', ', ')}
          </Button>
          {plan.data && (
            <p className="text-sm text-soft">
              {count(plan.data.tokens)} tokens shorter. {plan.data.arms} texts on all{' '}
              {plural(plan.data.n_cases, 'working case')}: {count(plan.data.calls)} calls
              {plan.data.in_store
                ? `, ${count(plan.data.in_store)} of them stored already`
                : ''},{' '}
              {plan.data.cost === null
                ? 'price unknown'
                : `about ${costInWords(plan.data.cost, plan.data.simulated_cost)}`}
              .
              {plan.data.pairs.length > 0 &&
                ` ${plural(plan.data.pairs.length, 'pair')} that may say the same ${plan.data.pairs.length === 1 ? 'is' : 'are'} tested beside.`}
            </p>
          )}
        </div>
      )}
      {plan.isError && (
        <div className="mt-2">
          <ErrorLine>{inWords(plan.error)}</ErrorLine>
        </div>
      )}
      {problem !== null && (
        <div className="mt-2">
          <ErrorLine>{inWords(problem)}</ErrorLine>
        </div>
      )}
    </section>
  )
}

function Struck({ strike, version }: { strike: Schemas['StrikeShape']; version: number }) {
  const { brief, setInHand } = useFrame()
  const { write, problem } = useWrite([...briefKeys(brief.id)])
  const save = () =>
    write(async () => {
      const made = await saveTrimmed(strike.id)
      setInHand(made.number)
    })
  const link = (
    <Link
      className="underline underline-offset-2"
      to={`/briefs/${brief.id}/trials/${strike.trial}`}
    >
      trial {strike.trial_number}
    </Link>
  )
  const without = namesOf(strike.clauses).replaceAll(' with ', ', ')
  return (
    <div
      className={`mt-3 border-l-2 pl-3 text-sm ${strike.no_worse ? 'border-action' : strike.state === 'complete' ? 'border-attention' : 'border-inform'}`}
    >
      <p>
        <strong>
          v{version} without {without || 'the pairs below'}
        </strong>{' '}
        <span className="text-soft">
          {strike.tokens > 0 && `${count(strike.tokens)} tokens shorter, `}
          {plural(strike.n_cases, 'case')}, {link}
        </span>
      </p>
      {strike.state !== 'complete' ? (
        <p className="text-soft" role="status">
          {strike.state}: {count(strike.done)} of {count(strike.of)} answers
          {strike.message && `, ${strike.message}`}.
        </p>
      ) : (
        <>
          {strike.difference !== null && (
            <p>
              <span className="font-mono">{signed(strike.difference)}</span>{' '}
              <span className="text-soft">
                {signed(strike.low)} to {signed(strike.high)}.
              </span>{' '}
              {strike.words}
            </p>
          )}
          {strike.pairs.map((p) => (
            <p key={p.clauses.join()} className="mt-1">
              Without {p.clauses.map((n) => `§ ${n}`).join(' and ')}:{' '}
              <span className="font-mono">{signed(p.difference)}</span>{' '}
              <span className="text-soft">
                {signed(p.low)} to {signed(p.high)}.
              </span>{' '}
              {p.matters ? (
                <>
                  <strong>They say the same: keep one of them.</strong> Each alone, they add up to{' '}
                  {signed(p.alone)} only.
                </>
              ) : (
                `No more than the sum of what each is worth alone, ${signed(p.alone)}.`
              )}
            </p>
          ))}
          {strike.clauses.length > 0 && (
            <Button
              className="mt-2"
              kind={strike.no_worse ? 'main' : 'plain'}
              onClick={() => void save()}
            >
              Save v{version} without {strike.clauses.length === 1 ? 'it' : 'them'} as v
              {(brief.versions.at(-1)?.number ?? 0) + 1}
            </Button>
          )}
        </>
      )}
      {problem !== null && (
        <div className="mt-2">
          <ErrorLine>{inWords(problem)}</ErrorLine>
        </div>
      )}
    </div>
  )
}
