import type { Schemas } from '@/api/client'
import { count, plural } from '@/parts/numbers'
import { asText } from '@/parts/text'
import { LeftOut } from './LeftOut'

type Look = Schemas['AnswersLook']

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
      <LeftOut rows={look.refused} total={look.n_refused} />
      {look.n_refused > 0 && !done && (
        <p className="text-xs text-soft">
          They come in where a line finds its case otherwise: choose above by what. Or put the file
          right, and bring it in again: what is there already stays.
        </p>
      )}
    </div>
  )
}
