/** What a press would cost, told before it. */
import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import type { Schemas } from '@/api/client'
import { tryPriceQuery } from '@/api/drafts'
import { money, plural } from '@/parts/numbers'
import type { Job } from './useTries'

const PAUSE_MS = 300

/** In words, real and simulated money apart; "" until it is known. */
export function usePrice(brief: number, jobs: Job[]): string {
  // By what they say: the jobs are made anew with every drawing.
  const text = JSON.stringify(jobs.map((j, i) => ({ ...j, key: String(i) })))
  const [settled, setSettled] = useState(text)
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(text), PAUSE_MS)
    return () => window.clearTimeout(timer)
  }, [text])
  const found = useQuery({
    ...tryPriceQuery(brief, { jobs: JSON.parse(settled) as Job[] }),
    enabled: jobs.length > 0,
    placeholderData: (former) => former,
  })
  return found.data && jobs.length > 0 ? priceInWords(found.data) : ''
}

/** A price as it stands on the button that spends it. */
export function priceInWords(price: Schemas['TryPriceShape']): string {
  const parts = []
  if (price.cost > 0) parts.push(`about ${money(price.cost)}`)
  if (price.unpriced.length > 0)
    parts.push(`price of ${plural(price.unpriced.length, 'model')} unknown`)
  if (parts.length === 0)
    parts.push(price.simulated_calls === price.calls ? 'free, simulated' : 'free')
  return parts.join(', ')
}
