import { labelsApart, stairs } from './frontier'

const WIDTH = 460
const HEIGHT = 230
const LEFT = 40
const RIGHT = 448
const TOP = 10
const BOTTOM = 190

export type Placed = {
  id: number
  letter: string
  mean: number
  low: number | null
  high: number | null
  best: boolean
  /** Where it stands on the axis of ratios, and its interval there. */
  at: number
  from: number | null
  to: number | null
}

type Props = { points: Placed[]; chosen: number; label: string; words: (value: number) => string }

/** Arms by score and by price or time; a line joins those that nothing beats in these two. */
export function FrontierPlot({ points, chosen, label, words }: Props) {
  const logs = points.map((p) => Math.log10(p.at))
  const [least, most] = [Math.min(...logs), Math.max(...logs)]
  const floor = Math.max(
    0,
    Math.floor(Math.min(...points.map((p) => p.low ?? p.mean)) * 10 - 0.5) / 10,
  )
  const x = (v: number) =>
    Math.max(
      LEFT,
      Math.min(
        RIGHT,
        LEFT + 20 + ((Math.log10(v) - least) / Math.max(0.01, most - least)) * (RIGHT - LEFT - 60),
      ),
    )
  const y = (v: number) => BOTTOM - ((v - floor) / (1 - floor)) * (BOTTOM - TOP)
  const line = stairs(points)
  const ticks = [0, 0.25, 0.5, 0.75, 1].map((t) => floor + t * (1 - floor))
  const apart = labelsApart(points.map((p) => ({ x: x(p.at), y: y(p.mean), text: p.letter })))
  return (
    <svg
      width={WIDTH}
      height={HEIGHT}
      className="shrink-0"
      role="img"
      aria-label={`Score of every arm, ${label}`}
    >
      {ticks.map((t) => (
        <g key={t}>
          <line x1={LEFT} x2={RIGHT} y1={y(t)} y2={y(t)} className="stroke-rule" />
          <text
            x={LEFT - 5}
            y={y(t) + 4}
            textAnchor="end"
            fontSize="11"
            className="fill-soft font-mono"
          >
            {t.toFixed(2)}
          </text>
        </g>
      ))}
      {[...new Set([least, (least + most) / 2, most])].map((t) => (
        <text
          key={t}
          x={x(10 ** t)}
          y={BOTTOM + 16}
          textAnchor="middle"
          fontSize="11"
          className="fill-soft font-mono"
        >
          {words(10 ** t)}
        </text>
      ))}
      <text
        x={(LEFT + RIGHT) / 2}
        y={HEIGHT - 4}
        textAnchor="middle"
        fontSize="11"
        className="fill-soft"
      >
        {label}
      </text>
      <polyline
        points={line.map((p) => `${x(p.at)},${y(p.mean)}`).join(' ')}
        fill="none"
        strokeWidth="1.2"
        className="stroke-action"
      />
      {points.map((p, i) => (
        <g key={p.id}>
          {p.low !== null && p.high !== null && (
            <line x1={x(p.at)} x2={x(p.at)} y1={y(p.low)} y2={y(p.high)} className="stroke-soft" />
          )}
          {p.from !== null && p.to !== null && (
            <line
              x1={x(p.from)}
              x2={x(p.to)}
              y1={y(p.mean)}
              y2={y(p.mean)}
              className="stroke-soft"
            />
          )}
          <rect
            x={x(p.at) - 4.5}
            y={y(p.mean) - 4.5}
            width="9"
            height="9"
            className={`stroke-ink ${p.best ? 'fill-action' : 'fill-paper'}`}
            strokeWidth={p.id === chosen ? 2.5 : 1}
          />
          <text
            x={x(p.at) + (apart[i]?.dx ?? 6)}
            y={y(p.mean) + (apart[i]?.dy ?? -6)}
            fontSize="11"
            strokeWidth="3"
            paintOrder="stroke"
            className="fill-ink stroke-paper font-mono"
          >
            {p.letter}
          </text>
        </g>
      ))}
    </svg>
  )
}
