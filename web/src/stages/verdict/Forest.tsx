import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { TextAction } from '@/parts/controls'
import { plural, signed } from '@/parts/numbers'
import { Word } from '@/parts/Word'
import { reachOf, standingOf, type Standing } from './forest'
import { priceShare } from './price'

type Arm = Schemas['ArmOnBoard']
type Member = Schemas['FamilyMember'] & { together: number }
type Props = {
  comparison: Schemas['ComparisonShape']
  /** Half widths, by arm, of the intervals that hold together; none until they are worked out. */
  widths: Schemas['WidthShape'][]
  arms: Arm[]
  reference: Arm
  chosen: number
  onChoose: (id: number) => void
}

// Of the arms that are worse so many stand as lines, the others in one.
const WORSE_SEEN = 2
// Of those that are not, too many to be read at once fold as well.
const OTHERS_SEEN = 12
const WIDTH = 230
const ROW = 25

/** Every arm against the one in the question: its difference with both intervals, and what that says. */
export function Forest({ comparison, widths, arms, reference, chosen, onChoose }: Props) {
  const [all, setAll] = useState(false)
  const rows = comparison.family
    .filter((f) => f.difference !== null && f.low !== null && f.high !== null)
    .sort((x, y) => (y.difference ?? 0) - (x.difference ?? 0))
    .map((f) => ({ ...f, together: widths.find((w) => w.arm === f.a)?.half ?? 0 }))
    .map((f) => ({ f, arm: arms.find((a) => a.id === f.a), standing: standingOf(f, comparison) }))
  const seen = rows.filter(
    (r, i) =>
      all ||
      r.f.a === chosen ||
      rows.slice(0, i).filter((x) => (x.standing === 'worse') === (r.standing === 'worse')).length <
        (r.standing === 'worse' ? WORSE_SEEN : OTHERS_SEEN),
  )
  const folded = rows.filter((r) => !seen.includes(r))
  const worse = folded.filter((r) => r.standing === 'worse').length
  const edge = reachOf(rows.map((r) => r.f))
  if (rows.length === 0) return null
  return (
    <section className="mt-5" aria-label="All arms">
      <h2 className="border-b border-rule-strong pb-1 text-base">
        {rows.length > 1 ? (
          <>
            All {rows.length + 1} <Word of="arm">arms</Word>, against{' '}
          </>
        ) : (
          'Against '
        )}
        {reference.name}
      </h2>
      <table className="w-full text-sm">
        <caption className="sr-only">Differences with their intervals</caption>
        <tbody>
          {seen.map(({ f, arm, standing }) => (
            <tr
              key={f.a}
              style={{ height: ROW }}
              className={f.a === chosen ? 'bg-wash-action' : ''}
            >
              <td className="max-w-0 truncate pl-1">
                <button
                  type="button"
                  className="font-semibold hover:text-action"
                  onClick={() => onChoose(f.a)}
                  title={f.arm.settings_short}
                >
                  {f.arm.name}
                </button>
              </td>
              <td style={{ width: WIDTH }}>
                <Difference f={f} edge={edge} standing={standing} />
              </td>
              <td className="w-44 pl-3 font-mono text-xs whitespace-nowrap max-[1000px]:hidden">
                {signed(f.difference)}{' '}
                <span className="text-soft">
                  {signed(f.low)} to {signed(f.high)}
                </span>
              </td>
              <td className="w-44 pl-3 text-xs whitespace-nowrap text-soft">
                {standing}
                {arm && cheaperHere(arm, reference, f, comparison)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length > seen.length && (
        <TextAction light className="mt-1 text-xs" onClick={() => setAll(true)}>
          {plural(folded.length, 'more arm')}
          {worse === folded.length ? ', all worse' : worse > 0 ? `, ${worse} of them worse` : ''}
        </TextAction>
      )}
      <p className="mt-1 text-xs text-soft">
        Solid: 95 % for each difference
        {comparison.complete && widths.length > 0 ? '; dotted: for all of them together' : ''}.
        Filled where the difference is more than chance explains, all arms here taken into account.
      </p>
    </section>
  )
}

/** Price beside the reference, where an arm is no worse and differs in it. */
function cheaperHere(arm: Arm, reference: Arm, f: Member, c: Schemas['ComparisonShape']): string {
  const told = priceShare(arm, reference)
  return (f.low ?? -1) > -c.margin && told ? `, ${told}` : ''
}

const LINES: Record<Standing, string> = {
  better: 'stroke-action',
  worse: 'stroke-attention',
  level: 'stroke-soft',
  'not shown': 'stroke-soft',
  'so far': 'stroke-soft',
}
const FILLS: Record<Standing, string> = {
  better: 'fill-action',
  worse: 'fill-attention',
  level: 'fill-paper',
  'not shown': 'fill-paper',
  'so far': 'fill-paper',
}

function Difference({ f, edge, standing }: { f: Member; edge: number; standing: Standing }) {
  const x = (v: number) => WIDTH / 2 + (v / edge) * (WIDTH / 2 - 8)
  const [d, low, high] = [f.difference ?? 0, f.low ?? 0, f.high ?? 0]
  const y = ROW / 2
  return (
    <svg
      width={WIDTH}
      height={ROW}
      className="block"
      role="img"
      aria-label={`${signed(d)}, interval ${signed(low)} to ${signed(high)}`}
    >
      <line x1={x(0)} x2={x(0)} y1="0" y2={ROW} className="stroke-ink" />
      {standing !== 'so far' && f.together > 0 && (
        <line
          x1={x(d - f.together)}
          x2={x(d + f.together)}
          y1={y}
          y2={y}
          strokeWidth="1"
          strokeDasharray="2 2"
          className={LINES[standing]}
        />
      )}
      <line x1={x(low)} x2={x(high)} y1={y} y2={y} strokeWidth="2" className={LINES[standing]} />
      <rect
        x={x(d) - 5}
        y={y - 5}
        width="10"
        height="10"
        strokeWidth="1.5"
        className={`${FILLS[standing]} ${LINES[standing]}`}
      />
    </svg>
  )
}
