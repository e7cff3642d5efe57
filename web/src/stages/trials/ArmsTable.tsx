import type { Schemas } from '@/api/client'
import { IntervalPlot } from '@/parts/IntervalPlot'
import { Simulated } from '@/parts/controls'
import { money, score, seconds } from '@/parts/numbers'

type Arm = Schemas['ArmOnBoard']

/** Arms with mean score, interval, answers that are none, price and latency; best first. */
export function ArmsTable({
  arms,
  short,
  complete,
}: {
  arms: Arm[]
  short: boolean
  complete: boolean
}) {
  const ordered = [...arms].sort(
    (a, b) => (b.mean ?? -1) - (a.mean ?? -1) || a.position - b.position,
  )
  const rows = short ? ordered.slice(0, 4) : ordered
  const judged = arms.some((a) => a.thresholds.length > 0)
  // Said once where it holds for all of them.
  const simulated = arms.every((a) => a.simulated)
  const shared =
    new Set(arms.map((a) => a.settings_short)).size === 1 ? arms[0]?.settings_short : null
  return (
    <table className="w-full text-sm">
      <caption className={simulated || shared ? 'pb-1 text-left text-xs text-soft' : 'sr-only'}>
        <span className="sr-only">Arms of this trial, best first. </span>
        {simulated && <Simulated />} {shared && `every arm at ${shared}`}
      </caption>
      <thead>
        <tr className="border-b border-rule-strong text-left text-xs text-soft">
          <th className="w-7 py-1 font-semibold">
            <span className="sr-only">Letter</span>
          </th>
          <th className="font-semibold">Arm</th>
          <th className={`${judged ? 'w-[146px]' : 'w-[190px]'} font-semibold`}>
            Mean, 95 % interval
          </th>
          <th className="w-32 font-semibold">
            <span className="sr-only">In figures</span>
          </th>
          {judged && <th className="w-28 font-semibold">Good enough</th>}
          <th className={`${judged ? 'w-20' : 'w-28'} font-semibold`}>No answer</th>
          <th className="w-22 text-right font-semibold">Per 1,000</th>
          <th className="w-16 text-right font-semibold">Median</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((arm) => (
          <tr key={arm.id} className="border-b border-rule">
            <td className="font-mono text-xs">{arm.letter}</td>
            <td
              className="max-w-0 truncate py-0.5"
              title={`${arm.version_label} on ${arm.model}, ${arm.settings_short}`}
            >
              <span className="font-semibold">{arm.version_label}</span> on {arm.model_short}{' '}
              {arm.simulated && !simulated && <Simulated />}{' '}
              {!shared && <span className="text-xs text-soft">{arm.settings_short}</span>}
            </td>
            <td>
              {arm.mean !== null && arm.low !== null && arm.high !== null ? (
                <IntervalPlot
                  mean={arm.mean}
                  low={arm.low}
                  high={arm.high}
                  width={judged ? 136 : 180}
                />
              ) : (
                <span className="text-xs text-soft">{arm.n ? 'no score' : 'nothing yet'}</span>
              )}
            </td>
            <td className="font-mono text-xs whitespace-nowrap">
              {arm.mean !== null && (
                <>
                  <span className="text-sm font-semibold">{score(arm.mean)}</span>{' '}
                  <span className="text-soft">
                    {score(arm.low)}–{score(arm.high)}
                  </span>
                </>
              )}
            </td>
            {judged && (
              <td className="text-xs">
                <Enough thresholds={arm.thresholds} soFar={!complete} />
              </td>
            )}
            <td className="text-xs" title={arm.unseen}>
              {noAnswers(arm)}
              {arm.dropped && (
                <span
                  className="block whitespace-nowrap text-soft"
                  title={`one-sided p ${arm.dropped.p.toPrecision(2)}`}
                >
                  lost to {arm.dropped.against}, {arm.dropped.cases} cases
                </span>
              )}
            </td>
            <td className="text-right font-mono text-xs">{money(arm.cost_per_1000, 3)}</td>
            <td className="text-right font-mono text-xs">{seconds(arm.latency_ms)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

function noAnswers(arm: Arm) {
  const parts = [
    arm.cut && `${arm.cut} cut`,
    arm.declined && `${arm.declined} declined`,
    arm.empty && `${arm.empty} empty`,
  ].filter(Boolean)
  if (parts.length === 0 && !arm.failed) return <span className="text-soft">–</span>
  return (
    <>
      <span>{parts.join(', ')}</span>
      {arm.failed > 0 && <span className="text-harm"> {arm.failed} failed</span>}
    </>
  )
}

const STATES = { met: 'text-action', missed: 'text-harm', unsure: 'text-attention-text' }

/** What the scorecard calls good enough: the word for one threshold, counts for several. */
function Enough({ thresholds, soFar }: { thresholds: Arm['thresholds']; soFar: boolean }) {
  const told = thresholds
    .map(
      (t) =>
        `${t.measure} ${t.rule} ${score(t.needed)}: ${t.state}, ${score(t.mean)} (${score(t.low)} to ${score(t.high)})`,
    )
    .join('\n')
  const states = (['met', 'unsure', 'missed'] as const).filter((s) =>
    thresholds.some((t) => t.state === s),
  )
  return (
    <span title={told} className="flex gap-x-1.5 whitespace-nowrap">
      {states.map((s) => {
        const n = thresholds.filter((t) => t.state === s).length
        return (
          <span key={s} className={STATES[s]}>
            {thresholds.length > 1 ? `${n} ${s}` : s}
          </span>
        )
      })}
      {soFar && states.length > 0 && <span className="text-soft">so far</span>}
    </span>
  )
}
