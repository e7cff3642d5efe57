import { rampStep, score } from './numbers'
import { rampColours } from './ramp'

type Props = { mean: number; low: number; high: number; from?: number; to?: number; width?: number }

/** A mean with its interval on a fixed scale. */
export function IntervalPlot({ mean, low, high, from = 0, to = 1, width = 180 }: Props) {
  const x = (v: number) => 6 + ((v - from) / (to - from)) * (width - 12)
  const ticks = [0, 0.25, 0.5, 0.75, 1].map((t) => from + t * (to - from))
  return (
    <svg
      width={width}
      height="24"
      role="img"
      aria-label={`${score(mean)}, interval ${score(low)} to ${score(high)}`}
    >
      {ticks.map((t) => (
        <line key={t} x1={x(t)} x2={x(t)} y1="0" y2="24" className="stroke-rule" />
      ))}
      <line x1={x(low)} x2={x(high)} y1="12" y2="12" className="stroke-ink" strokeWidth="1.6" />
      <rect
        x={x(mean) - 5}
        y="7"
        width="10"
        height="10"
        fill={rampColours(rampStep(mean)).background}
        className="stroke-ink"
      />
    </svg>
  )
}
