import type { Schemas } from '@/api/client'
import { money, score } from '@/parts/numbers'
import { frontierOf } from './frontier'

type Arm = Schemas['ArmOnBoard']
type Props = { arms: Arm[]; comparison: Schemas['ComparisonShape']; reference: Arm; chosen: number; onChoose: (id: number) => void }

const WIDTH = 460
const HEIGHT = 230
const LEFT = 40
const RIGHT = 448
const TOP = 10
const BOTTOM = 190

/** Score against price: which arms nothing is both better and cheaper than, and which are good enough for less. */
export function Frontier({ arms, comparison, reference, chosen, onChoose }: Props) {
  const shown = arms.filter((a) => a.mean !== null && (a.cost_per_1000 ?? 0) > 0)
  if (shown.length < 2) return null
  const best = new Set(frontierOf(shown.map((a) => ({ id: a.id, score: a.mean ?? 0, cost: a.cost_per_1000 ?? 0 }))))
  const costs = shown.map((a) => Math.log10(a.cost_per_1000 ?? 1))
  const [least, most] = [Math.min(...costs), Math.max(...costs)]
  const lows = shown.map((a) => a.low ?? a.mean ?? 0)
  const floor = Math.max(0, Math.floor(Math.min(...lows) * 10 - 0.5) / 10)
  const x = (cost: number) => LEFT + 20 + ((Math.log10(cost) - least) / Math.max(0.01, most - least)) * (RIGHT - LEFT - 60)
  const y = (v: number) => BOTTOM - ((v - floor) / (1 - floor)) * (BOTTOM - TOP)
  const line = shown.filter((a) => best.has(a.id)).sort((a, b) => (a.cost_per_1000 ?? 0) - (b.cost_per_1000 ?? 0))
  const ticks = [0, 0.25, 0.5, 0.75, 1].map((t) => floor + t * (1 - floor))
  const cheaper = comparison.family
    .filter((f) => f.low !== null && f.low > -comparison.margin)
    .flatMap((f) => arms.filter((a) => a.id === f.a && (a.cost_per_1000 ?? Infinity) < (reference.cost_per_1000 ?? 0)))
  return (
    <section className="mt-6">
      <h2 className="text-base">Score and price</h2>
      <div className="flex items-start gap-6">
        <svg width={WIDTH} height={HEIGHT} className="shrink-0" role="img" aria-label="Score of every arm against its price per thousand answers">
          {ticks.map((t) => (
            <g key={t}>
              <line x1={LEFT} x2={RIGHT} y1={y(t)} y2={y(t)} className="stroke-rule" />
              <text x={LEFT - 5} y={y(t) + 4} textAnchor="end" fontSize="11" className="fill-soft font-mono">{t.toFixed(2)}</text>
            </g>
          ))}
          {[...new Set([least, (least + most) / 2, most])].map((t) => (
            <text key={t} x={x(10 ** t)} y={BOTTOM + 16} textAnchor="middle" fontSize="11" className="fill-soft font-mono">{money(10 ** t, 3)}</text>
          ))}
          <text x={(LEFT + RIGHT) / 2} y={HEIGHT - 4} textAnchor="middle" fontSize="11" className="fill-soft">per 1,000 answers, on a scale of ratios</text>
          <polyline points={line.map((a) => `${x(a.cost_per_1000 ?? 1)},${y(a.mean ?? 0)}`).join(' ')} fill="none" strokeWidth="1.2" className="stroke-action" />
          {shown.map((a) => (
            <g key={a.id}>
              {a.low !== null && a.high !== null && <line x1={x(a.cost_per_1000 ?? 1)} x2={x(a.cost_per_1000 ?? 1)} y1={y(a.low)} y2={y(a.high)} className="stroke-soft" />}
              <rect x={x(a.cost_per_1000 ?? 1) - 4.5} y={y(a.mean ?? 0) - 4.5} width="9" height="9" className={`stroke-ink ${best.has(a.id) ? 'fill-action' : 'fill-paper'}`} strokeWidth={a.id === chosen ? 2.5 : 1} />
              <text x={x(a.cost_per_1000 ?? 1) + 6} y={y(a.mean ?? 0) - 6} fontSize="11" strokeWidth="3" paintOrder="stroke" className="fill-ink stroke-paper font-mono">{a.letter}</text>
            </g>
          ))}
        </svg>
        <div className="min-w-0 text-sm">
          <p className="text-soft">Filled: nothing here is both better and cheaper.</p>
          <ul className="mt-1">
            {line.map((a) => (
              <li key={a.id}>
                <button type="button" className="hover:text-action" onClick={() => onChoose(a.id)}>
                  <span className="font-mono text-xs text-soft">{a.letter}</span> <strong>{a.version_label}</strong> {a.model.replace(/^standin-/, '')} <span className="font-mono text-xs">{score(a.mean)}, {money(a.cost_per_1000, 3)}</span>
                </button>
              </li>
            ))}
          </ul>
          {comparison.complete && (
            <p className="mt-2 font-serif text-base">
              {cheaper.length === 0
                ? `Nothing cheaper is shown to be no worse than ${reference.letter} within ${score(comparison.margin)}.`
                : `Good enough for less than ${reference.letter}: ${cheaper.map((a) => `${a.letter} at ${Math.round(((a.cost_per_1000 ?? 0) / (reference.cost_per_1000 ?? 1)) * 100)} % of its price`).join(', ')}, no worse within ${score(comparison.margin)}.`}
            </p>
          )}
        </div>
      </div>
    </section>
  )
}
