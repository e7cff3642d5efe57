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

/** How stored answers would fare by checks; no call is made. */
export const faresQuery = (brief: number, checks: Record<string, unknown>[]) =>
  queryOptions({
    queryKey: ['fares', brief, checks] as const,
    queryFn: () =>
      dataOf(
        api.POST('/api/briefs/{brief_id}/fares/', {
          params: { path: { brief_id: brief } },
          body: { checks },
        }),
      ),
  })

/** Measures proposed for a brief that has no scorecard. */
export const firstScorecardQuery = (brief: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'first scorecard'] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/first-scorecard/', {
          params: { path: { brief_id: brief } },
        }),
      ),
  })

/** How a model reads this very text, as far as it was asked; with `ask` it is asked. */
export const readByModel = (brief: number, body: Body<'model_reading'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/model-reading/', {
      params: { path: { brief_id: brief } },
      body,
    }),
  )
export const modelReadingQuery = (brief: number, body: Body<'model_reading'>) =>
  queryOptions({
    queryKey: ['model reading', brief, body] as const,
    queryFn: () => readByModel(brief, body),
  })

/** Put right how words of the prompt are read. */
export const correctReading = (brief: number, body: Body<'correct_reading'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/readings/', { params: { path: { brief_id: brief } }, body }),
  )

/** Have every saved version read by a model without a press each; null: no longer. */
export const setStandingReader = (brief: number, model: number | null) =>
  dataOf(
    api.PUT('/api/briefs/{brief_id}/standing-reader/', {
      params: { path: { brief_id: brief } },
      body: { model },
    }),
  )
