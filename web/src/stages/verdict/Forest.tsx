import type { Schemas } from '@/api/client'
import { pValue, signed } from '@/parts/numbers'

type Props = {
  comparison: Schemas['ComparisonShape']
  reference: { letter: string; version_label: string; model_short: string }
  chosen: number
  onChoose: (id: number) => void
}

const WIDTH = 400
const ROW = 26

/** Every arm's difference to the reference arm, with its interval. */
export function Forest({ comparison, reference, chosen, onChoose }: Props) {
  const rows = comparison.family
    .filter((f) => f.difference !== null && f.low !== null && f.high !== null)
    .sort((x, y) => (y.difference ?? 0) - (x.difference ?? 0))
  const reach = Math.max(
    0.05,
    ...rows.map((r) =>
      Math.max(
        Math.abs(r.low ?? 0),
        Math.abs(r.high ?? 0),
        Math.abs(r.difference ?? 0) + (r.together ?? 0),
      ),
    ),
  )
  const step = [0.05, 0.1, 0.2, 0.25, 0.5].find((s) => reach / s <= 4) ?? 0.5
  const edge = Math.ceil(reach / step) * step
  const x = (v: number) => WIDTH / 2 + (v / edge) * (WIDTH / 2 - 20)
  const ticks: number[] = []
  for (let t = -edge; t <= edge + 1e-9; t += step) ticks.push(t)
  const height = rows.length * ROW
  return (
    <section className="mt-6">
      <h2 className="text-base">
        Difference to {reference.letter}, {reference.version_label} on {reference.model_short}
      </h2>
      <div className="mt-2 flex items-start gap-6">
        <svg
          width={WIDTH}
          height={height + 22}
          className="shrink-0"
          role="img"
          aria-label="Differences to the reference arm with their intervals"
        >
          {ticks.map((t) => (
            <g key={t}>
              <line
                x1={x(t)}
                x2={x(t)}
                y1="0"
                y2={height}
                className={Math.abs(t) < 1e-9 ? 'stroke-ink' : 'stroke-rule'}
              />
              <text
                x={x(t)}
                y={height + 15}
                textAnchor="middle"
                fontSize="11"
                className="fill-soft font-mono"
              >
                {Math.abs(t) < 1e-9 ? '0' : signed(t, 2)}
              </text>
            </g>
          ))}
          {rows.map((r, i) => {
            const y = i * ROW + ROW / 2
            const sure = comparison.complete && (r.p_holm ?? 1) <= comparison.level
            const colour = !sure
              ? 'stroke-soft'
              : (r.difference ?? 0) > 0
                ? 'stroke-action'
                : 'stroke-attention'
            const fill = !sure
              ? 'fill-paper'
              : (r.difference ?? 0) > 0
                ? 'fill-action'
                : 'fill-attention'
            return (
              <g key={r.a}>
                {comparison.complete && r.together !== null && (
                  <line
                    x1={x((r.difference ?? 0) - r.together)}
                    x2={x((r.difference ?? 0) + r.together)}
                    y1={y}
                    y2={y}
                    strokeWidth="1"
                    strokeDasharray="2 2"
                    className={colour}
                  />
                )}
                <line
                  x1={x(r.low ?? 0)}
                  x2={x(r.high ?? 0)}
                  y1={y}
                  y2={y}
                  strokeWidth="2"
                  className={colour}
                />
                <rect
                  x={x(r.difference ?? 0) - 5}
                  y={y - 5}
                  width="10"
                  height="10"
                  strokeWidth="1.5"
                  className={`${fill} ${colour}`}
                />
              </g>
            )
          })}
        </svg>
        <table className="min-w-0 flex-1 text-sm">
          <caption className="sr-only">The same differences in figures</caption>
          <thead className="sr-only">
            <tr>
              <th>Arm</th>
              <th>Difference and interval</th>
              <th>p after correction</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((r) => (
              <tr
                key={r.a}
                style={{ height: ROW }}
                className={r.a === chosen ? 'bg-wash-action' : ''}
              >
                <td className="max-w-0 truncate">
                  <button
                    type="button"
                    className="hover:text-action"
                    onClick={() => onChoose(r.a)}
                    title={r.arm.settings_short}
                  >
                    <span className="font-mono text-xs text-soft">{r.arm.letter}</span>{' '}
                    <strong>{r.arm.version_label}</strong> {r.arm.model_short}
                  </button>
                </td>
                <td className="w-52 font-mono text-xs whitespace-nowrap">
                  {signed(r.difference)}{' '}
                  <span className="text-soft">
                    {signed(r.low)} to {signed(r.high)}
                  </span>
                </td>
                <td className="w-16 text-right font-mono text-xs text-soft">
                  {comparison.complete ? `p ${pValue(r.p_holm)}` : ''}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="mt-1 text-xs text-soft">
        Solid: 95 % for each difference; dotted: 95 % for all of them together. Filled where the
        difference is more than chance explains, all arms here taken into account; p is corrected
        for them.
      </p>
    </section>
  )
}
