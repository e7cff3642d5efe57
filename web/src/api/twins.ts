import { queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body, type Query } from './client'

/** The sets of twins of a brief, newest first, each with the trials on it. */
export const listTwinsQuery = (brief: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'twins'] as const,
    queryFn: () =>
      dataOf(api.GET('/api/briefs/{brief_id}/twins/', { params: { path: { brief_id: brief } } })),
  })

/** What twins would be made; nothing is stored. */
export const lookAtTwinsQuery = (brief: number, body: Body<'look_at_twins'>) =>
  queryOptions({
    queryKey: ['brief', brief, 'twins', 'look', body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/briefs/{brief_id}/twins/look/', {
          params: { path: { brief_id: brief } },
          body,
          signal,
        }),
      ),
  })

export const makeTwins = (brief: number, body: Body<'make_twins'>) =>
  dataOf(api.POST('/api/briefs/{brief_id}/twins/', { params: { path: { brief_id: brief } }, body }))

/** Twins that a model wrote and a person took, as a set. */
export const keepTwins = (brief: number, body: Body<'keep_twins'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/twins/keep/', { params: { path: { brief_id: brief } }, body }),
  )

/** The twins of a set, beside what they were made from. */
export const getTwinsQuery = (set: number, query: Query<'get_twins'> & { offset?: number }) =>
  queryOptions({
    queryKey: ['twins', set, 'rows', query] as const,
    queryFn: () =>
      dataOf(api.GET('/api/twins/{set_id}/', { params: { path: { set_id: set }, query } })),
  })

export const leaveTwins = (set: number, twins: number[], left: boolean) =>
  dataOf(
    api.POST('/api/twins/{set_id}/leave/', {
      params: { path: { set_id: set } },
      body: { twins, left },
    }),
  )

/** What asking the twins takes; nothing is stored. */
export const planTwinsQuery = (set: number, body: Body<'plan_twins'>) =>
  queryOptions({
    queryKey: ['twins', set, 'plan', body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/twins/{set_id}/plan/', { params: { path: { set_id: set } }, body, signal }),
      ),
  })

export const askTwins = (set: number, body: Body<'ask_twins'>) =>
  dataOf(api.POST('/api/twins/{set_id}/ask/', { params: { path: { set_id: set } }, body }))

/** How the pairs of a trial behave; case by case of one arm. */
export const getHeldQuery = (set: number, trial: number, arm: number | null) =>
  queryOptions({
    queryKey: ['twins', set, 'held', trial, arm] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/twins/{set_id}/trials/{trial_id}/', {
          params: {
            path: { set_id: set, trial_id: trial },
            query: arm === null ? {} : { arm },
          },
        }),
      ),
  })

/** More twins where an arm broke, as a set of their own. */
export const searchFurther = (set: number, trial: number, arm: number) =>
  dataOf(
    api.POST('/api/twins/{set_id}/trials/{trial_id}/further/', {
      params: { path: { set_id: set, trial_id: trial } },
      body: { arm, most: 200 },
    }),
  )

export const getPairsQuery = (
  set: number,
  trial: number,
  query: Query<'get_pairs'> & { offset?: number },
) =>
  queryOptions({
    queryKey: ['twins', set, 'pairs', trial, query] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/twins/{set_id}/trials/{trial_id}/pairs/', {
          params: { path: { set_id: set, trial_id: trial }, query },
        }),
      ),
  })
