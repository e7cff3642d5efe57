import { useQuery } from '@tanstack/react-query'
import { differencesQuery } from '@/api/drafts'
import { WordChanges } from '@/parts/WordChanges'

import type { Answer } from './useTries'

/** Of several answers to one question: which are the same, and what differs between the others. */
export function Alternatives({ answers }: { answers: Answer[] }) {
  // Only answers to the question asked last can be compared: text and case may have changed since.
  const question = answers.at(-1)?.question
  const texts = answers
    .filter((a) => a.question === question && a.result?.outcome === 'answered')
    .map((a) => a.text)
    .slice(-24)
  const found = useQuery({
    ...differencesQuery({ texts }),
    enabled: texts.length > 1,
    staleTime: Infinity,
  })
  if (!found.data || texts.length < 2) return null
  const [first, ...rest] = found.data
  return (
    <div className="border-b border-rule bg-wash-inform px-2 py-2 text-sm">
      <p className="text-xs font-semibold text-inform">
        {rest.length === 0
          ? `All ${texts.length} answers are the same`
          : first && first.which.length > 1
            ? `${first.which.length} of ${texts.length} the same, ${rest.length} other`
            : `${texts.length} different answers, against the first`}
      </p>
      {rest.slice(0, 9).map((a) => (
        <p
          key={a.which[0]}
          dir="auto"
          className="mt-1 border-t border-rule pt-1 font-mono text-xs whitespace-pre-wrap break-words"
        >
          {a.which.length > 1 && (
            <span className="font-sans text-soft">{a.which.length} times: </span>
          )}
          <WordChanges words={a.words} />
        </p>
      ))}
    </div>
  )
}
