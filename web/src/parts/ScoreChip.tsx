import { rampStep, score } from './numbers'
import { rampColours } from './ramp'

/** A score as a small block on the ramp, its number in it. */
export function ScoreChip({ value, title }: { value: number | null; title?: string }) {
  if (value === null)
    return (
      <span
        title={title}
        className="inline-block min-w-9 self-start border border-rule px-1 text-center font-mono text-xs text-soft"
      >
        none
      </span>
    )
  return (
    <span
      title={title}
      className="inline-block min-w-9 self-start px-1 text-center font-mono text-xs"
      style={rampColours(rampStep(value))}
    >
      {score(value)}
    </span>
  )
}
