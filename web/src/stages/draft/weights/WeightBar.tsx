import { signed } from '@/parts/numbers'

const WIDTH = 220

type Props = { weight: number; low: number; high: number; reach: number; verdict: string }

/** A weight with its interval around nought, on one scale for all clauses. */
export function WeightBar({ weight, low, high, reach, verdict }: Props) {
  const x = (v: number) =>
    WIDTH / 2 + (Math.max(-reach, Math.min(reach, v)) / reach) * (WIDTH / 2 - 6)
  const colour =
    verdict === 'earns'
      ? 'stroke-action fill-action'
      : verdict === 'hurts'
        ? 'stroke-harm fill-harm'
        : 'stroke-soft fill-soft'
  return (
    <svg
      width={WIDTH}
      height="16"
      role="img"
      aria-label={`${signed(weight)}, ${signed(low)} to ${signed(high)}`}
      className="my-0.5 block"
    >
      <line x1="0" x2={WIDTH} y1="8" y2="8" className="stroke-rule" />
      <line x1={WIDTH / 2} x2={WIDTH / 2} y1="0" y2="16" className="stroke-ink" />
      <line x1={x(low)} x2={x(high)} y1="8" y2="8" strokeWidth="2" className={colour} />
      <rect x={x(weight) - 4} y="4" width="8" height="8" className={colour} />
    </svg>
  )
}
