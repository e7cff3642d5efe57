import { rampStep, score } from './numbers'
import { rampColours } from './ramp'

/** A score as a short bar on the ramp, with its number. */
export function ScoreBar({ mean, width = 48 }: { mean: number; width?: number }) {
  const filled = Math.max(1, Math.round(mean * width))
  return (
    <span className="inline-flex items-center gap-1.5">
      <svg width={width} height="8" aria-hidden="true" className="shrink-0">
        <rect width={width} height="8" className="fill-rule" opacity="0.55" />
        <rect
          width={filled}
          height="8"
          fill={rampColours(rampStep(mean)).background}
          className="dark:stroke-soft"
          strokeWidth="0.6"
        />
      </svg>
      <span className="font-mono text-xs">{score(mean).replace(/^0/, '')}</span>
    </span>
  )
}
