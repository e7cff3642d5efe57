import { useHealth } from '@/api/connections'
import { count, seconds } from '@/parts/numbers'

const HEIGHT = 34

/** The last 24 hours: attempts an hour as bars, the failed part of each hatched. */
export function HealthStrip({ connection }: { connection: number }) {
  const health = useHealth(connection)
  const hours = health.data ?? []
  const most = Math.max(1, ...hours.map((h) => h.answered + failed(h.failures)))
  const answered = hours.reduce((n, h) => n + h.answered, 0)
  const lost = hours.reduce((n, h) => n + failed(h.failures), 0)
  if (answered + lost === 0)
    return <p className="text-xs text-soft">Nothing was asked of it in the last 24 hours.</p>
  const latest = [...hours].reverse().find((h) => h.latency_ms !== null)
  const kinds = new Map<string, number>()
  hours.forEach((h) =>
    Object.entries(h.failures).forEach(([code, n]) => kinds.set(code, (kinds.get(code) ?? 0) + n)),
  )
  const words = [...kinds]
    .sort((a, b) => b[1] - a[1])
    .map(([code, n]) => `${count(n)} ${code.replaceAll('_', ' ')}`)
  return (
    <figure>
      <svg
        role="img"
        aria-label={`${answered} attempts answered and ${lost} failed in the last 24 hours`}
        viewBox={`0 0 240 ${HEIGHT}`}
        className="block h-[34px] w-full border-b border-rule-strong"
        preserveAspectRatio="none"
      >
        <defs>
          <pattern
            id={`hatch-${connection}`}
            width="4"
            height="4"
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <rect width="4" height="4" className="fill-sheet" />
            <rect width="2" height="4" className="fill-harm" />
          </pattern>
        </defs>
        {hours.map((h, i) => {
          const good = (h.answered / most) * HEIGHT
          const bad = (failed(h.failures) / most) * HEIGHT
          return (
            <g key={h.hour}>
              <rect
                x={i * 10 + 1}
                width={8}
                y={HEIGHT - good}
                height={good}
                className="fill-inform"
              />
              <rect
                x={i * 10 + 1}
                width={8}
                y={HEIGHT - good - bad}
                height={bad}
                fill={`url(#hatch-${connection})`}
              />
            </g>
          )
        })}
      </svg>
      <figcaption className="mt-1 text-xs text-soft">
        24 hours: {count(answered)} answered
        {lost > 0 ? `; failed attempts (hatched): ${words.join(', ')}` : ', none failed'}.
        {latest?.latency_ms ? ` Lately ${seconds(latest.latency_ms)} on average.` : ''}
      </figcaption>
    </figure>
  )
}

function failed(failures: Record<string, number>): number {
  return Object.values(failures).reduce((a, b) => a + b, 0)
}
