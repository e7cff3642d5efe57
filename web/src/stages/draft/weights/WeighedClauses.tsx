import { useState } from 'react'
import { Link } from 'react-router'
import type { Schemas } from '@/api/client'
import { Note, type Tone } from '@/parts/Margin'
import { money, plural, score, signed } from '@/parts/numbers'
import { useFrame } from '../../frame'
import { ClauseRow, type RowTone } from './ClauseRow'
import { StrikePart } from './StrikePart'
import { WeightBar } from './WeightBar'
import { inAll, namesOf, reachOf } from './words'

type Weighed = Schemas['ClauseWeightShape']

const ROWS: Record<string, RowTone> = {
  earns: 'earns',
  hurts: 'hurts',
  'does nothing': 'idle',
  'cannot tell': null,
}
const NOTES: Record<string, Tone> = {
  earns: 'action',
  hurts: 'harm',
  'does nothing': 'attention',
  'cannot tell': 'plain',
}
const TELLS: Record<string, string> = {
  earns: 'earns its place',
  hurts: 'hurts',
  'does nothing': 'does nothing',
  'cannot tell': 'cannot be told',
}

type Props = { weighing: Schemas['WeighingShape']; onChange: () => void }

/** The text with each clause's weight in the margin, what hangs together, and what could go. */
export function WeighedClauses({ weighing, onChange }: Props) {
  const { brief } = useFrame()
  const [struck, setStruck] = useState<number[]>(weighing.strikable)
  const byNumber = new Map(weighing.clauses.flatMap((c) => c.clauses.map((n) => [n, c] as const)))
  const locked = new Map(weighing.locked.map((l) => [l.clause, l.why]))
  const reach = reachOf(weighing.clauses)
  const toggle = (c: Weighed) =>
    setStruck(
      struck.includes(c.clauses[0] ?? 0)
        ? struck.filter((n) => !c.clauses.includes(n))
        : [...struck, ...c.clauses].sort((a, b) => a - b),
    )
  return (
    <>
      <p className="mt-3 text-sm">
        {inAll(weighing.clauses)} The whole prompt scores{' '}
        <span className="font-mono">{score(weighing.full, 3)}</span>{' '}
        <span className="text-soft">
          on {plural(weighing.n_used, 'case')}
          {weighing.n_dropped > 0 && `, ${weighing.n_dropped} left out for a missing score`}, what
          must pass aside ({weighing.model}
          {weighing.settings_short && `, ${weighing.settings_short}`}, scorecard{' '}
          {weighing.scorecard},{' '}
          <Link
            className="underline underline-offset-2"
            to={`/briefs/${brief.id}/trials/${weighing.trial}`}
          >
            trial {weighing.trial_number}
          </Link>
          ).
        </span>
      </p>
      {weighing.why_null && (
        <p className="mt-2 border-l-2 border-attention pl-3 text-sm">
          No weights: {weighing.why_null}.
        </p>
      )}
      <div className="mt-4 border-t border-rule">
        {weighing.lines.map((c) => {
          const own = byNumber.get(c.number)
          const lead = own?.clauses[0] === c.number
          const why = locked.get(c.number)
          return (
            <ClauseRow
              key={c.number}
              clause={c}
              tone={own ? (ROWS[own.verdict] ?? null) : 'stays'}
              before={
                lead && own ? (
                  <input
                    type="checkbox"
                    className="accent-action"
                    aria-label={`Strike ${namesOf(own.clauses)}`}
                    title="strike it in the test below"
                    checked={struck.includes(c.number)}
                    onChange={() => toggle(own)}
                  />
                ) : null
              }
              margin={
                own ? (
                  lead && <Weight weighed={own} reach={reach} margin={weighing.margin} />
                ) : (
                  <p className="text-xs text-soft">{why ? `stays: ${why}` : ''}</p>
                )
              }
            />
          )
        })}
      </div>
      <Together weighing={weighing} />
      <StrikePart weighing={weighing} struck={struck} onChange={onChange} />
    </>
  )
}

function Weight({ weighed, reach, margin }: { weighed: Weighed; reach: number; margin: number }) {
  if (weighed.weight === null || weighed.low === null || weighed.high === null) return null
  // Sure to be above nought, and as sure to be under what matters.
  const tells =
    weighed.verdict === 'does nothing' && weighed.low > 0
      ? `adds less than ${margin}`
      : TELLS[weighed.verdict]
  return (
    <Note
      tone={NOTES[weighed.verdict] ?? 'plain'}
      title={
        <>
          {namesOf(weighed.clauses)} {tells}{' '}
          <span className="font-mono font-normal text-ink">{signed(weighed.weight)}</span>
        </>
      }
    >
      <WeightBar
        weight={weighed.weight}
        low={weighed.low}
        high={weighed.high}
        reach={reach}
        verdict={weighed.verdict}
      />
      <span className="block font-sans text-xs text-soft">
        {signed(weighed.low)} to {signed(weighed.high)}, for{' '}
        <span
          title={
            weighed.cost_per_1000 === null
              ? undefined
              : `${money(weighed.cost_per_1000)} per 1,000 answers`
          }
        >
          {plural(weighed.tokens, 'token')}
        </span>
      </span>
    </Note>
  )
}

/** Clauses whose loss together is not the sum of their losses. */
function Together({ weighing }: { weighing: Schemas['WeighingShape'] }) {
  return (
    <section className="mt-5">
      {weighing.pairs.map((p) => (
        <p
          key={JSON.stringify(p.candidates)}
          className="mb-2 border-l-2 border-attention pl-3 text-sm"
        >
          <strong>
            {p.kind === 'say the same' ? 'Two clauses say the same' : 'Two clauses need each other'}
            :
          </strong>{' '}
          {p.candidates.map((pair) => pair.map(namesOf).join(' and ')).join(', or ')}
          {p.candidates.length > 1 &&
            ` (these texts cannot tell which${p.kind === 'say the same' ? '; the test below does' : ''})`}
          .{' '}
          {p.kind === 'say the same'
            ? `Without both, ${score(p.extra, 3)} more is lost than each loses alone`
            : `Without both, ${score(-p.extra, 3)} less is lost than each loses alone`}{' '}
          <span className="text-soft">
            ({signed(p.low)} to {signed(p.high)}).
          </span>
        </p>
      ))}
      {weighing.misfit > 0 && (
        <p className="mb-2 border-l-2 border-attention pl-3 text-sm">
          Clauses act on each other in more ways than weights and pairs tell: texts lie{' '}
          {score(weighing.misfit, 3)} off on average. The intervals are widened by it.
        </p>
      )}
      <p className="text-xs text-soft">
        A weight is the score with all clauses minus that without this one; ticks mark what the test
        below strikes.{' '}
        {weighing.pairs_of > 0 &&
          `${weighing.pairs_met} of ${weighing.pairs_of} pairs of clauses were left out together, so what says the same was looked for among these.`}
      </p>
    </section>
  )
}
