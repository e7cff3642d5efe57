import { useState } from 'react'
import { useSpend } from '@/api/desk'
import { TextAction } from '@/parts/controls'
import { money } from '@/parts/numbers'
import { byPart, monthsOf } from './spending'

// Shades of our own inks, told apart by the swatch beside the name as well as by their order.
const FILLS = [
  'fill-action',
  'fill-inform',
  'fill-attention',
  'fill-harm',
  'fill-ink',
  'fill-rule-strong',
]
const WIDTH = 420
const HEIGHT = 132

/** What was spent, month by month, by model or by brief, as bars and in figures. */
export function Spending() {
  const spend = useSpend()
  const [by, setBy] = useState<'model' | 'name'>('model')
  const [wanted, setWanted] = useState<boolean | null>(null)
  const all = spend.data ?? []
  if (all.length === 0) return null
  const both = new Set(all.map((r) => r.simulated)).size > 1
  // What nobody pays is shown by itself, never added to what was paid.
  const simulated = both ? (wanted ?? false) : (all[0]?.simulated ?? false)
  const rows = all.filter((r) => r.simulated === simulated)
  const months = monthsOf(rows)
  const parts = byPart(rows, by, FILLS.length)
  const totals = months.map((m) => parts.reduce((n, p) => n + (p.costs[m] ?? 0), 0))
  const top = Math.max(...totals)
  const slot = Math.min(110, (WIDTH - 8) / months.length)
  const bar = Math.min(48, slot * 0.6)
  return (
    <section className="border-b border-rule-strong pt-4 pb-4">
      <h2 className="flex items-baseline gap-4 text-base">
        {simulated ? 'Simulated, which nobody pays' : 'Spent'}, by month and
        <span className="-ml-3 flex gap-3 font-sans text-sm" role="group" aria-label="Spent by">
          {(['model', 'name'] as const).map((key) => (
            <button
              key={key}
              type="button"
              aria-pressed={by === key}
              onClick={() => setBy(key)}
              className="text-soft underline underline-offset-2 aria-pressed:font-semibold aria-pressed:text-ink aria-pressed:no-underline"
            >
              {key === 'model' ? 'model' : 'brief'}
            </button>
          ))}
        </span>
        {both && (
          <TextAction light onClick={() => setWanted(!simulated)}>
            {simulated ? 'what was paid' : 'what simulated models came to'}
          </TextAction>
        )}
      </h2>
      <div className="mt-3 flex items-start gap-8">
        <svg
          width={8 + slot * months.length}
          height={HEIGHT + 20}
          role="img"
          aria-label={months.map((m, i) => `${inWords(m)} ${money(totals[i])}`).join(', ')}
          className="shrink-0"
        >
          <line
            x1="0"
            x2={8 + slot * months.length}
            y1={HEIGHT}
            y2={HEIGHT}
            className="stroke-rule-strong"
          />
          {months.map((m, i) => {
            const x = 4 + i * slot + (slot - bar) / 2
            let y = HEIGHT
            return (
              <g key={m}>
                {parts.map((p, k) => {
                  const height = ((p.costs[m] ?? 0) / top) * (HEIGHT - 20)
                  y -= height
                  return (
                    height > 0 && (
                      <rect
                        key={p.name}
                        x={x}
                        y={y}
                        width={bar}
                        height={height}
                        className={`${FILLS[k]} stroke-paper`}
                      >
                        <title>{`${p.name}, ${inWords(m)}: ${money(p.costs[m])}`}</title>
                      </rect>
                    )
                  )
                })}
                <text
                  x={x + bar / 2}
                  y={y - 5}
                  textAnchor="middle"
                  fontSize="11"
                  className="fill-ink font-mono"
                >
                  {money(totals[i])}
                </text>
                <text
                  x={x + bar / 2}
                  y={HEIGHT + 14}
                  textAnchor="middle"
                  fontSize="11"
                  className="fill-soft"
                >
                  {inWords(m, months.length > 4)}
                </text>
              </g>
            )
          })}
        </svg>
        <div className="min-w-0 flex-1 overflow-x-auto">
          <table className="text-sm">
            <thead>
              <tr className="border-b border-rule text-left text-xs text-soft">
                <th className="min-w-52 py-1 font-semibold">
                  {by === 'model' ? 'Model' : 'Brief'}
                </th>
                {months.map((m) => (
                  <th key={m} className="min-w-24 pl-3 text-right font-semibold">
                    {inWords(m, true)}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {parts.map((p, k) => (
                <tr key={p.name} className="border-b border-rule">
                  <td className="py-1 whitespace-nowrap">
                    <svg width="10" height="10" className="mr-2 inline-block" aria-hidden="true">
                      <rect width="10" height="10" className={FILLS[k]} />
                    </svg>
                    {p.name}
                  </td>
                  {months.map((m) => (
                    <td key={m} className="pl-3 text-right font-mono text-xs">
                      {p.costs[m] ? money(p.costs[m]) : '–'}
                    </td>
                  ))}
                </tr>
              ))}
              <tr className="font-semibold">
                <td className="py-1">Together</td>
                {months.map((m, i) => (
                  <td key={m} className="pl-3 text-right font-mono text-xs">
                    {money(totals[i])}
                  </td>
                ))}
              </tr>
            </tbody>
          </table>
        </div>
      </div>
    </section>
  )
}

function inWords(month: string, brief = false): string {
  return new Date(`${month}-15`).toLocaleDateString(
    'en-GB',
    brief ? { month: 'short', year: '2-digit' } : { month: 'long', year: 'numeric' },
  )
}
