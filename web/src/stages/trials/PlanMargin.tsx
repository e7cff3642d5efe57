import { inWords, sentence, type Schemas } from '@/api/client'
import { WayTo } from '@/parts/Lacking'
import { Note } from '@/parts/Margin'
import { count, lookedAt, costInWords, plural } from '@/parts/numbers'

export function PlanMargin({
  plan,
  heldOut,
  error,
  stale,
}: {
  heldOut: boolean
  plan: Schemas['PlanShape'] | undefined
  error: Error | null
  stale: boolean
}) {
  return (
    <div className="grid gap-4" aria-busy={stale}>
      <h2 className="flex items-baseline justify-between text-base">
        What it will take
        {stale && <span className="font-sans text-xs font-normal text-soft">counting…</span>}
      </h2>
      {error && !plan && (
        <Note tone="harm" title="Not yet a plan">
          {inWords(error)}
        </Note>
      )}
      {plan && !error && (
        <>
          <dl className="text-sm">
            {[
              ['Arms', count(plan.arms.length + plan.brought.length)],
              ['Cases', count(plan.n_cases)],
              ['Calls', count(plan.calls)],
              ['Tokens in, about', count(plan.tokens_in)],
              ['Tokens out, about', count(plan.tokens_out)],
              [
                'Price, about',
                plan.cost === null ? 'unknown' : costInWords(plan.cost, plan.simulated_cost),
              ],
            ].map(([name, value]) => (
              <div key={name} className="flex justify-between border-b border-rule py-1">
                <dt className="text-soft">{name}</dt>
                <dd className="font-mono text-xs leading-5">{value}</dd>
              </div>
            ))}
          </dl>
          {plan.beside_calls > 0 && (
            <Note tone="inform" title={`${count(plan.beside_calls)} of these calls answer nothing`}>
              They judge answers, play the user, or ask twins of a case
              {plan.beside_cost === null
                ? ''
                : `, for about ${costInWords(plan.beside_cost, plan.beside_simulated)}`}
              . They are no part of what an arm costs.
            </Note>
          )}
          {(plan.in_store ?? 0) > 0 && (
            <Note tone="action" title={`${count(plan.in_store ?? 0)} answers are in the store`}>
              The same request was answered before by the same model. They are scored again and not
              paid for again; the price above counts them as if they were.
            </Note>
          )}
          {heldOut && (
            <Note tone="attention" title={`Held-out cases: ${lookedAt(plan.looks)}`}>
              Starting this is one more look. They tell what a version is worth only while nobody
              chooses by them.
            </Note>
          )}
          {plan.problems.map((p) => (
            <Note
              key={p.arm + p.text}
              tone={p.severity === 'error' ? 'harm' : 'attention'}
              title={p.severity === 'error' ? 'Cannot run' : 'Look first'}
            >
              {p.arm ? `${p.arm}: ${p.text}.` : sentence(p.text)}
            </Note>
          ))}
          {plan.unpriced.length > 0 && (
            <Note tone="attention" title={`${plural(plan.unpriced.length, 'arm')} without a price`}>
              <WayTo words="Give the model a price" to="/models" /> to see the cost before and
              after.
            </Note>
          )}
          <Note title="How good this estimate is">
            {howGood(plan)} What is charged is what the server reports.
          </Note>
        </>
      )}
    </div>
  )
}

/** How far estimates for these models were off before, from the counts their servers reported. */
function howGood(plan: Schemas['PlanShape']): string {
  const known = new Map<string, string>()
  plan.arms.forEach((a) => {
    if (a.error_in !== null && a.error_out !== null)
      known.set(
        a.model,
        `${a.model} ${Math.round(a.error_in * 100)} % in, ${Math.round(a.error_out * 100)} % out`,
      )
  })
  const new_ = new Set(plan.arms.filter((a) => a.error_in === null).map((a) => a.model))
  const parts = []
  if (known.size)
    parts.push(`Single calls were off by this much so far: ${[...known.values()].join('; ')}.`)
  if (new_.size)
    parts.push(
      `${[...new_].join(', ')}: counted by a rough rule, until the first trial has taught better.`,
    )
  return parts.join(' ')
}
