import { useQuery } from '@tanstack/react-query'
import { triesQuery } from '@/api/drafts'
import { inAList } from '@/parts/numbers'
import { AnswerColumns } from './AnswerColumns'
import { shownOf } from './useAsking'

/** The answers of the try before, for before and after. */
export function TryBefore({ brief, number }: { brief: number; number: number }) {
  const found = useQuery(triesQuery(brief, number)).data?.found
  if (!found) return null
  const names = inAList([...new Set(found.answers.map((a) => a.model_name))])
  return (
    <section aria-label={`Try ${number}`} className="mb-3 border-b border-rule pb-2">
      <p className="text-xs text-soft">
        Before, try {number}, {names}:
      </p>
      <AnswerColumns shown={shownOf(found)} />
    </section>
  )
}
