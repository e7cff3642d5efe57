import type { Schemas } from '@/api/client'
import { Note } from '@/parts/Margin'
import { plural } from '@/parts/numbers'

type Trial = Schemas['TrialSummary']

/** Answers that only look like none; asked for with weight only where they could turn the verdict. */
export function DoubtfulNote({
  trial,
  onOpen,
}: {
  trial: Trial
  onOpen: (output: number) => void
}) {
  const { count: n, turns, outputs } = trial.doubtful
  const first = outputs[0]
  return (
    <Note tone={turns ? 'attention' : 'inform'} title={`${plural(n, 'answer')} in doubt`}>
      {n === 1 ? 'It looks' : 'They look'}{' '}
      {[...new Set(outputs.map((o) => o.suspected))].join(' or ')} and {n === 1 ? 'is' : 'are'}{' '}
      scored as {n === 1 ? 'an answer' : 'answers'}.{' '}
      {turns
        ? 'Deciding on them could turn the verdict.'
        : 'However they are decided, the same arm has the highest score.'}{' '}
      {first && (
        <button
          type="button"
          className="font-sans font-semibold text-action underline"
          onClick={() => onOpen(first.id)}
        >
          Look at the first
        </button>
      )}
    </Note>
  )
}
