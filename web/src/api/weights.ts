import { queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body } from './client'

/** Every weighing of a brief, newest first. */
export const listWeighingsQuery = (brief: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'weighings'] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/weighings/', { params: { path: { brief_id: brief } } }),
      ),
  })

/** One weighing with its clauses' weights, pairs and tests. */
export const getWeighingQuery = (weighing: number) =>
  queryOptions({
    queryKey: ['weighing', weighing] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/weighings/{weighing_id}/', { params: { path: { weighing_id: weighing } } }),
      ),
  })

/** Which clauses a weighing leaves out, and what it takes; nothing is stored. */
export const planWeighingQuery = (brief: number, body: Body<'plan_weighing'>) =>
  queryOptions({
    queryKey: ['plan-weighing', brief, body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/briefs/{brief_id}/weighings/plan/', {
          params: { path: { brief_id: brief } },
          body,
          signal,
        }),
      ),
  })

/** Start a weighing; the worker takes it up within a second. */
export const startWeighing = (brief: number, body: Body<'start_weighing'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/weighings/start/', {
      params: { path: { brief_id: brief } },
      body,
    }),
  )

/** Test these clauses, struck together, for no worse on all working cases. */
export const startStrike = (weighing: number, body: Body<'start_strike'>) =>
  dataOf(
    api.POST('/api/weighings/{weighing_id}/strike/', {
      params: { path: { weighing_id: weighing } },
      body,
    }),
  )

/** What testing these clauses, struck together, takes; nothing is stored. */
export const planStrikeQuery = (weighing: number, body: Body<'plan_strike'>) =>
  queryOptions({
    queryKey: ['plan-strike', weighing, body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/weighings/{weighing_id}/strike/plan/', {
          params: { path: { weighing_id: weighing } },
          body,
          signal,
        }),
      ),
  })

/** Save the prompt without the clauses of a complete test as a version of its own. */
export const saveTrimmed = (strike: number) =>
  dataOf(api.POST('/api/strikes/{strike_id}/save/', { params: { path: { strike_id: strike } } }))
