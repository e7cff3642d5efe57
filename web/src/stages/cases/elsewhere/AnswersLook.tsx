import type { Schemas } from '@/api/client'
import { count, plural } from '@/parts/numbers'
import { asText } from '../asText'

type Look = Schemas['AnswersLook']

const SHOWN = 12

/** What a file of answers brings: how many find their case, the first beside it, those that find none. */
export function AnswersLook({ look, done = false }: { look: Look; done?: boolean }) {
  return (
    <div className="grid gap-3 text-sm">
      {!done && (
        <p>
          {plural(look.rows, 'line')}: <strong>{count(look.new)} new</strong>, {count(look.changed)}{' '}
          in place of another, {count(look.same)} there already
          {look.n_refused > 0 && (
            <span className="text-attention-text">, {count(look.n_refused)} left out</span>
          )}
          . {look.unanswered > 0 && `${plural(look.unanswered, 'case')} will have none still.`}
        </p>
      )}
      {!done && look.samples.length > 0 && (
        <section>
          <h3 className="border-b border-rule-strong pb-0.5 text-sm">
            The first, beside their cases
          </h3>
          {look.samples.map((row) => (
            <div
              key={row.case}
              className="grid grid-cols-[2rem_minmax(0,1fr)_minmax(0,1fr)] gap-x-3 border-b border-rule py-1"
            >
              <span className="font-mono text-xs text-soft">{row.number}</span>
              <span className="line-clamp-3 break-words">
                {Object.values(row.inputs).map(asText).join(' · ')}
              </span>
              <span className="line-clamp-3 font-serif break-words">{row.text}</span>
            </div>
          ))}
        </section>
      )}
      {look.refused.length > 0 && (
        <section>
          <h3 className="border-b border-rule-strong pb-0.5 text-sm">
            {plural(look.n_refused, 'line')} left out
          </h3>
          <ul>
            {look.refused.slice(0, SHOWN).map((r) => (
              <li key={r.line} className="border-b border-rule py-1">
                <span className="font-mono text-xs text-soft">line {r.line}</span> {r.reason}
                <span className="block truncate text-xs text-soft">{r.cells.join(' · ')}</span>
              </li>
            ))}
          </ul>
          {look.n_refused > SHOWN && (
            <p className="text-xs text-soft">and {count(look.n_refused - SHOWN)} more</p>
          )}
          {!done && (
            <p className="mt-1 text-xs text-soft">
              They come in where a line finds its case otherwise: choose above by what. Or put the
              file right, and bring it in again: what is there already stays.
            </p>
          )}
        </section>
      )}
    </div>
  )
}
