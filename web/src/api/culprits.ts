import { queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body } from './client'

/** Every search of a brief for the change that did it, newest first. */
export const listCulpritsQuery = (brief: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'culprits'] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/culprits/', { params: { path: { brief_id: brief } } }),
      ),
  })

/** One search: the share of each amendment, and which case it moved. */
export const getCulpritsQuery = (search: number) =>
  queryOptions({
    queryKey: ['culprits', search] as const,
    queryFn: () =>
      dataOf(api.GET('/api/culprits/{search_id}/', { params: { path: { search_id: search } } })),
  })

/** What finding out takes; nothing is stored. */
export const planCulpritsQuery = (trial: number, body: Body<'plan_culprits'>) =>
  queryOptions({
    queryKey: ['plan-culprits', trial, body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/trials/{trial_id}/culprits/plan/', {
          params: { path: { trial_id: trial } },
          body,
          signal,
        }),
      ),
  })

/** Run the texts with some of the amendments. */
export const startCulprits = (trial: number, body: Body<'start_culprits'>) =>
  dataOf(
    api.POST('/api/trials/{trial_id}/culprits/start/', {
      params: { path: { trial_id: trial } },
      body,
    }),
  )

/** Save the newer version with these amendments taken back. */
export const saveWithout = (search: number, leave: string[]) =>
  dataOf(
    api.POST('/api/culprits/{search_id}/without/', {
      params: { path: { search_id: search } },
      body: { leave },
    }),
  )
