import type { Schemas } from '@/api/client'
import { Note } from '@/parts/Margin'
import { plural, score, sum } from '@/parts/numbers'

type Trial = Schemas['TrialSummary']

/** Answers without a score: by which measure and why, and what the means were if they counted 0. */
export function UnscoredNote({
  trial,
  onOpen,
}: {
  trial: Trial
  onOpen: (output: number) => void
}) {
  const first = trial.unscored[0]
  const short = trial.arms.filter((a) => a.mean_as_zero !== null)
  if (!first) return null
  return (
    <Note tone="harm" title={`${plural(sum(trial.unscored.map((u) => u.count)), 'score')} missing`}>
      {trial.unscored.map((u) => (
        <span key={`${u.measure} ${u.why}`} className="block">
          <strong>{u.measure}</strong>, {u.count} times: {u.why}.
        </span>
      ))}
      Such an answer has no total and is left out of the means. Counted 0 instead:{' '}
      {short
        .map(
          (a) =>
            `${a.letter} ${score(a.mean_as_zero ?? 0)} for ${a.mean === null ? 'no score' : score(a.mean)}`,
        )
        .join(', ')}
      .{' '}
      <button
        type="button"
        className="font-sans font-semibold text-action underline"
        onClick={() => onOpen(first.output)}
      >
        Look at the first
      </button>
    </Note>
  )
}
