import { queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body } from './client'

/** A brief's runs of rounds, newest first. */
export const roundsQuery = (brief: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'rounds'] as const,
    queryFn: () =>
      dataOf(api.GET('/api/briefs/{brief_id}/rounds/', { params: { path: { brief_id: brief } } })),
  })

/** One run of rounds whole: the course of the score, candidates, the held-out check. */
export const courseQuery = (rounds: number) =>
  queryOptions({
    queryKey: ['rounds', rounds] as const,
    queryFn: () =>
      dataOf(api.GET('/api/rounds/{rounds_id}/', { params: { path: { rounds_id: rounds } } })),
  })

/** What automatic rounds take at most, and what stands in their way; nothing is stored. */
export const planRoundsQuery = (brief: number, body: Body<'plan_rounds'>) =>
  queryOptions({
    queryKey: ['plan-rounds', brief, body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/briefs/{brief_id}/rounds/plan/', {
          params: { path: { brief_id: brief } },
          body,
          signal,
        }),
      ),
  })

/** Start automatic rounds; the worker takes them up within a second. */
export const startRounds = (brief: number, body: Body<'start_rounds'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/rounds/start/', {
      params: { path: { brief_id: brief } },
      body,
    }),
  )

/** Ask running rounds to stop; what they have made stays. */
export const stopRounds = (rounds: number) =>
  dataOf(api.POST('/api/rounds/{rounds_id}/stop/', { params: { path: { rounds_id: rounds } } }))
