import type { Schemas } from '@/api/client'
import { IntervalPlot } from '@/parts/IntervalPlot'
import { plural, signed } from '@/parts/numbers'

type Props = {
  result: NonNullable<Schemas['PreferencesShape']['result']>
  arms: Schemas['ArmOnBoard'][]
}

/** Strengths of the arms from pairs, and what the side did to the choices. */
export function StrengthsTable({ result, arms }: Props) {
  const rows = [...result.items].sort((a, b) => b.strength - a.strength)
  const reach = Math.max(
    1,
    ...rows.flatMap((r) => [Math.abs(r.strength), Math.abs(r.low ?? 0), Math.abs(r.high ?? 0)]),
  )
  return (
    <section className="mt-6 border-t border-rule pt-3">
      <h2 className="text-base">Strengths from {plural(result.n, 'pair')}</h2>
      <table className="mt-1 w-full text-sm">
        <thead>
          <tr className="border-b border-rule-strong text-left text-xs text-soft">
            <th className="py-1 font-semibold">Arm</th>
            <th className="w-44 font-semibold">Log strength, 95 % interval</th>
            <th className="w-36 font-semibold">
              <span className="sr-only">In figures</span>
            </th>
            <th className="w-20 text-right font-semibold">Preferred</th>
            <th className="w-20 text-right font-semibold">Passed over</th>
            <th className="w-14 text-right font-semibold">Alike</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => {
            const arm = arms.find((a) => a.id === r.arm)
            return (
              <tr key={r.arm} className="border-b border-rule">
                <td className="py-1">
                  {arm?.in_words} <span className="text-xs text-soft">{arm?.settings_short}</span>
                </td>
                <td>
                  <IntervalPlot
                    mean={r.strength}
                    low={r.low ?? r.strength}
                    high={r.high ?? r.strength}
                    from={-reach}
                    to={reach}
                    width={160}
                  />
                </td>
                <td className="font-mono text-xs whitespace-nowrap">
                  {signed(r.strength, 2)}{' '}
                  {r.low !== null && r.high !== null && (
                    <span className="text-soft">
                      {signed(r.low, 2)} to {signed(r.high, 2)}
                    </span>
                  )}
                </td>
                <td className="text-right font-mono text-xs">{r.wins}</td>
                <td className="text-right font-mono text-xs">{r.losses}</td>
                <td className="text-right font-mono text-xs">{r.ties}</td>
              </tr>
            )
          })}
        </tbody>
      </table>
      <p className="mt-2 text-sm text-soft">
        {result.side_bias === null
          ? 'Every choice fell on one side: what the side does cannot be told.'
          : `Standing on the left adds ${signed(result.side_bias)} to the log-odds${result.side_low !== null && result.side_high !== null ? ` (${signed(result.side_low)} to ${signed(result.side_high)})` : ''}; 0 is unswayed.`}{' '}
        {result.why && `${result.why[0]?.toUpperCase()}${result.why.slice(1)}.`}
      </p>
    </section>
  )
}
