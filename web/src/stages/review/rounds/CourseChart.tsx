import type { Schemas } from '@/api/client'
import { score } from '@/parts/numbers'

type Course = Schemas['CourseShape']

const WIDTH = 560
const HEIGHT = 210
const LEFT = 36
const TOP = 18
const BOTTOM = 178

/** The score after each round with its interval, and beside it start and best on held-out cases. */
export function CourseChart({ course }: { course: Course }) {
  const points = course.points.filter((p) => p.mean !== null)
  const held = course.held_out?.state === 'complete' ? course.held_out : null
  // Rounds to the left; the held-out pair has a strip of its own.
  const split = WIDTH - 170
  const step = (split - LEFT - 100) / Math.max(1, course.most_rounds)
  const x = (round: number) => LEFT + 30 + round * step
  const y = (v: number) => BOTTOM - v * (BOTTOM - TOP)
  return (
    <svg width={WIDTH} height={HEIGHT} className="max-w-full" role="img" aria-label={told(points)}>
      {[0, 0.25, 0.5, 0.75, 1].map((t) => (
        <g key={t}>
          <line x1={LEFT} x2={WIDTH} y1={y(t)} y2={y(t)} className="stroke-rule" />
          <text
            x={LEFT - 6}
            y={y(t) + 4}
            textAnchor="end"
            fontSize="11"
            className="fill-soft font-mono"
          >
            {t}
          </text>
        </g>
      ))}
      <line
        x1={split}
        x2={split}
        y1={TOP}
        y2={BOTTOM}
        className="stroke-rule-strong"
        strokeDasharray="2 3"
      />
      <text x={split + 80} y={HEIGHT - 2} textAnchor="middle" fontSize="11" className="fill-soft">
        held-out cases
      </text>
      <text
        x={(LEFT + split) / 2}
        y={HEIGHT - 2}
        textAnchor="middle"
        fontSize="11"
        className="fill-soft"
      >
        working cases
      </text>
      <polyline
        points={points.map((p) => `${x(p.round)},${y(p.mean ?? 0)}`).join(' ')}
        fill="none"
        strokeWidth="1.5"
        className="stroke-soft"
      />
      {points.map((p) => (
        <Mark
          key={p.round}
          x={x(p.round)}
          y={y}
          figures={p}
          label={`v${p.version}`}
          under={p.round === 0 ? 'start' : `round ${p.round}`}
        />
      ))}
      {held && (
        <Mark
          x={split + 18}
          y={y}
          figures={held.start}
          label={`v${course.start}`}
          under=""
          hollow
        />
      )}
      {held && (
        <Mark x={split + 98} y={y} figures={held.best} label={`v${course.best}`} under="" hollow />
      )}
      {!held && (
        <text
          x={split + 80}
          y={(TOP + BOTTOM) / 2}
          textAnchor="middle"
          fontSize="11"
          className="fill-soft"
        >
          {course.held_out ? 'running' : 'not looked at'}
        </text>
      )}
    </svg>
  )
}

type MarkProps = {
  x: number
  y: (v: number) => number
  figures: Schemas['MeasuredShape']
  label: string
  under: string
  hollow?: boolean
}

function Mark({ x, y, figures, label, under, hollow }: MarkProps) {
  if (figures.mean === null) return null
  return (
    <g>
      {figures.low !== null && figures.high !== null && (
        <line
          x1={x}
          x2={x}
          y1={y(figures.low)}
          y2={y(figures.high)}
          strokeWidth="2"
          className="stroke-ink"
        />
      )}
      <rect
        x={x - 5}
        y={y(figures.mean) - 5}
        width="10"
        height="10"
        className={`stroke-ink ${hollow ? 'fill-sheet' : 'fill-action'}`}
      />
      {/* Set off from lines that pass behind them. */}
      <text
        x={x + 10}
        y={y(figures.mean) - 4}
        fontSize="12"
        strokeWidth="3"
        paintOrder="stroke"
        className="fill-ink stroke-paper"
      >
        <tspan fontWeight="600">{label}</tspan>
        <tspan dx="6" className="font-mono">
          {score(figures.mean)}
        </tspan>
      </text>
      {under && (
        <text x={x} y={BOTTOM + 14} textAnchor="middle" fontSize="11" className="fill-soft">
          {under}
        </text>
      )}
    </g>
  )
}

function told(points: Schemas['RoundPoint'][]): string {
  if (points.length === 0) return 'No score yet'
  return `The score over rounds: ${points.map((p) => `${p.round === 0 ? 'start' : `round ${p.round}`} ${score(p.mean)} (${score(p.low)} to ${score(p.high)})`).join(', ')}`
}
