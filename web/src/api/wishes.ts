import { queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body } from './client'

/** What rules propose for wishes; with `take` the text with these. */
export const grantWishes = (brief: number, body: Body<'wishes'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/wishes/', { params: { path: { brief_id: brief } }, body }),
  )

export const wishesQuery = (brief: number, body: Body<'wishes'>) =>
  queryOptions({
    queryKey: ['wishes', brief, body] as const,
    queryFn: () => grantWishes(brief, body),
  })

/** Put right how words of the prompt are read. */
export const correctReading = (brief: number, body: Body<'correct_reading'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/readings/', { params: { path: { brief_id: brief } }, body }),
  )
