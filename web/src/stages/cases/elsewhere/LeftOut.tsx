import type { Schemas } from '@/api/client'
import { count } from '@/parts/numbers'

type Props = { rows: Schemas['RefusedShape'][]; total: number }

const SHOWN = 12

/** Lines of a file that do not come in, each with the reason. */
export function LeftOut({ rows, total }: Props) {
  if (total === 0) return null
  return (
    <section>
      <h3 className="border-b border-rule-strong pb-0.5 text-sm">{count(total)} left out</h3>
      <ul className="text-sm">
        {rows.slice(0, SHOWN).map((r, i) => (
          <li key={i} className="border-b border-rule py-1">
            <span className="font-mono text-xs text-soft">line {r.line}</span> {r.reason}
            {r.cells.some(Boolean) && (
              <span className="block truncate text-xs text-soft">{r.cells.join(' · ')}</span>
            )}
          </li>
        ))}
      </ul>
      {total > SHOWN && <p className="text-xs text-soft">and {count(total - SHOWN)} more</p>}
    </section>
  )
}
