import { useQuery } from '@tanstack/react-query'
import type { Schemas } from '@/api/client'
import { inWords } from '@/api/client'
import { differencesOfAnswersQuery } from '@/api/reviews'
import { useOutput } from '@/api/trials'
import { Reasoning } from '@/parts/Reasoning'
import { ErrorLine, Simulated } from '@/parts/controls'
import { money, seconds } from '@/parts/numbers'
import { ScoreChip } from '@/parts/ScoreChip'
import { Doubt } from '../Doubt'
import { AnswerText } from '../OutputView'
import { Differences } from './Differences'

export type Against = 'wanted' | 'other' | 'none'

type Props = {
  place: number
  /** The output's id; null where there is none yet. */
  output: number | null
  name: string
  focused: boolean
  onFocus: () => void
  against: Against
  /** The answer that this one is held against, where they are held against each other. */
  other: number | null
}

/** One answer of an open case: its score, what first went wrong, its text with its differences. */
export function AnswerColumn({ place, output, name, focused, onFocus, against, other }: Props) {
  const found = useOutput(output)
  const o = found.data
  return (
    <section
      aria-label={`Answer ${place}: ${name}`}
      aria-current={focused ? 'true' : undefined}
      className={`min-w-0 border-t-2 pt-1.5 ${focused ? 'border-ink' : 'border-rule-strong'}`}
    >
      <h2 className="flex items-baseline gap-2 font-sans text-sm font-semibold">
        <button type="button" onClick={onFocus} className="min-w-0 truncate text-left" title={name}>
          {place} {name}
        </button>
        {o && o.repeat > 0 && <span className="font-normal text-soft">repeat {o.repeat + 1}</span>}
        {o && <ScoreChip value={o.failure ? null : o.total} title={o.total_why} />}
        {o?.arm.simulated && <Simulated />}
        {o?.arm.brought_in && <span className="text-xs text-inform">brought in</span>}
        {o?.mark && <span className="font-normal text-soft">{o.mark.judgement}</span>}
      </h2>
      {output === null && <p className="py-3 text-sm text-soft">Nothing has come in yet.</p>}
      {found.isLoadingError && output !== null && <ErrorLine>{inWords(found.error)}</ErrorLine>}
      {found.isPending && output !== null && <p className="py-3 text-sm text-soft">Loading…</p>}
      {o && (
        <>
          <p className="mb-1 min-h-5 text-xs text-soft">{firstFault(o)}</p>
          <Body output={o} against={against} other={other} />
          {focused && o.current && !o.failure && <Doubt key={o.id} output={o} />}
          <p className="mt-1 text-xs text-soft">{tookWords(o)}</p>
        </>
      )}
    </section>
  )
}

function Body({
  output: o,
  against,
  other,
}: {
  output: Schemas['OutputShape']
  against: Against
  other: number | null
}) {
  const to = against === 'other' ? other : null
  const wanted = against === 'wanted' && o.case.reference !== null
  const plain = o.outcome !== 'answered' || o.turns.length > 0 || (!wanted && to === null)
  const told = useQuery({
    ...differencesOfAnswersQuery(o.id, to === null ? {} : { to }, o.case.reference),
    enabled: !plain,
    staleTime: Infinity,
  })
  if (plain || !told.data || told.data.same) return <AnswerText output={o} />
  return (
    <>
      {o.reasoning && <Reasoning>{o.reasoning}</Reasoning>}
      <Differences found={told.data} />
    </>
  )
}

/** The measure that took most from the total, and why; what stands in the way comes first. */
function firstFault(o: Schemas['OutputShape']): string {
  if (o.failure) return `failed: ${o.why || o.failure.replaceAll('_', ' ')}`
  const scored = o.scores.filter((s) => s.score !== null)
  const worst = [...scored].sort((a, b) => (a.score ?? 1) - (b.score ?? 1))[0]
  if (!worst || (worst.score ?? 1) >= 1) return o.scores.length ? 'nothing found wanting' : ''
  return `${worst.measure}: ${worst.why}`
}

function tookWords(o: Schemas['OutputShape']): string {
  const ended: Record<string, string> = { stop: 'complete', length: 'cut at the limit' }
  return [
    o.finish_reason && (ended[o.finish_reason] ?? o.finish_reason),
    o.tokens_out !== null && `${o.tokens_out} tokens`,
    o.latency_ms !== null && seconds(o.latency_ms),
    o.cost !== null && money(o.cost),
  ]
    .filter(Boolean)
    .join(' · ')
}
