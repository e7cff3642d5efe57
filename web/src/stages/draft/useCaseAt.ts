import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { casesQuery } from '@/api/datasets'
import { datasetInHand } from '../dataset'
import type { Brief } from '../frame'

/** One working case of the dataset in hand, to look at the text with; step through them. */
export function useCaseAt(brief: Brief) {
  const inHand = datasetInHand(brief)
  const dataset = inHand && inHand.working + inHand.held_out > 0 ? inHand : undefined
  const [at, setAt] = useState(0)
  const cases = useQuery({
    ...casesQuery(dataset?.id ?? 0, { split: 'working', offset: at, limit: 1 }),
    enabled: dataset !== undefined,
    placeholderData: (former) => former,
  })
  const total = cases.data?.total ?? 0
  const step = (by: number) => setAt((a) => (total ? (a + by + total) % total : 0))
  return { dataset, at, total, step, chosen: cases.data?.cases[0] }
}
