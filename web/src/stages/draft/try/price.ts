/** What a press would cost, told before it. */
import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import type { Schemas } from '@/api/client'
import { tryPriceQuery } from '@/api/drafts'
import { duration, money, plural } from '@/parts/numbers'
import type { Job } from './useTries'

const PAUSE_MS = 300
const NOTHING = '{"jobs":[],"messages":[]}'
type Texts = NonNullable<Job['messages']>

// From so long on it is told how long it takes.
const LONG_S = 8

/** In words, real and simulated money apart; "" until it is known. */
export function usePrice(brief: number, jobs: Job[], messages: Job['messages'] = []): string {
  // By what they say: the jobs are made anew with every drawing.
  const text = JSON.stringify({
    jobs: jobs.map((j, i) => ({ ...j, key: String(i) })),
    messages,
  })
  const asked = jobs.length > 0 ? text : NOTHING
  const [settled, setSettled] = useState(asked)
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(asked), PAUSE_MS)
    return () => window.clearTimeout(timer)
  }, [asked])
  const found = useQuery({
    ...tryPriceQuery(brief, JSON.parse(settled) as { jobs: Job[]; messages: Texts }),
    enabled: jobs.length > 0 && settled !== NOTHING,
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
  if (price.seconds !== null && price.seconds >= LONG_S)
    parts.push(`about ${duration(price.seconds)}`)
  return parts.join(', ')
}
