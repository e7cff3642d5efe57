import type { Criterion } from './card'
import { BEGINNINGS, beginningOf, OWN, type Card, type Row } from './card'
import { Word } from '@/parts/Word'

/** A scorecard as it stands: measures with weights, gates, what is good enough, the margin. */
export function CardTable({ card }: { card: Card }) {
  const begins = beginningOf(card)
  return (
    <>
      <table className="mt-2 w-full text-sm">
        <thead>
          <tr className="border-b border-rule-strong text-left text-xs text-soft">
            <th className="py-1.5 font-semibold">Measure</th>
            <th className="font-semibold">How</th>
            <th className="w-20 text-right font-semibold">Weight</th>
            <th className="w-20 text-right font-semibold">
              <Word of="must pass">Must pass</Word>
            </th>
          </tr>
        </thead>
        <tbody>
          {card.measures.map((m) => (
            <tr key={m.name ?? m.measure} className="border-b border-rule align-top">
              <td className="py-2 pr-4 font-semibold">{m.name ?? m.measure}</td>
              <td className="py-2 pr-4">
                {m.measure}
                {m.turn !== undefined && (
                  <span className="text-soft">
                    ,{' '}
                    {typeof m.turn === 'number' ? `turn ${m.turn}` : `${m.turn} of a conversation`}
                  </span>
                )}
                <span className="block font-mono text-2xs break-all text-soft">
                  {parametersOf(m)}
                </span>
                {Array.isArray(m.criteria) && <Rubric criteria={m.criteria as Criterion[]} />}
              </td>
              <td className="py-2 text-right font-mono">{m.weight ?? 1}</td>
              <td className="py-2 text-right">{m.gate ? 'must pass' : ''}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2 text-sm text-soft">
        {(card.thresholds ?? []).map((t, i) => (
          <span key={i} className="mr-4">
            Good enough: {t.measure ?? 'total'} {t.at_least === undefined ? 'at most' : 'at least'}{' '}
            <span className="font-mono">{(t.at_least ?? t.at_most ?? 0).toFixed(2)}</span>
          </span>
        ))}
        Margin <span className="font-mono">{(card.margin ?? 0.05).toFixed(2)}</span>
        {begins.begins !== 'whole' && (
          <span className="ml-4">
            The answer is {BEGINNINGS.find(([name]) => name === begins.begins)?.[1]}
            {begins.mark && ` “${begins.mark}”`}
          </span>
        )}
      </p>
    </>
  )
}

function Rubric({ criteria }: { criteria: Criterion[] }) {
  return (
    <ul className="mt-1 grid gap-1">
      {criteria.map((c) => (
        <li key={c.name} className="text-xs">
          <span className="font-semibold">{c.name}</span>{' '}
          <span className="text-soft">
            × {c.weight ?? 1}. {c.asks} From “{c.levels[0]}” to “{c.levels.at(-1)}”,{' '}
            {c.levels.length} levels.
          </span>
        </li>
      ))}
    </ul>
  )
}

function parametersOf(row: Row): string {
  const rest = Object.fromEntries(
    Object.entries(row).filter(
      ([k]) => !OWN.includes(k) && k !== 'criteria' && k !== 'instruction',
    ),
  )
  return Object.keys(rest).length ? JSON.stringify(rest) : ''
}
