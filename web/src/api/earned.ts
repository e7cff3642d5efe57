import { queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body } from './client'

/** Lines of any brief whose weight was shown to be above nothing. */
export const earnedQuery = queryOptions({
  queryKey: ['earned'] as const,
  queryFn: () => dataOf(api.GET('/api/earned/')),
})

/** Those of other briefs that fit this one's text so far. */
export const fittingLinesQuery = (
  brief: number,
  messages: Body<'fitting_lines'>['messages'] = [],
) =>
  queryOptions({
    queryKey: ['brief', brief, 'earned', messages] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/briefs/{brief_id}/earned/', {
          params: { path: { brief_id: brief } },
          body: { messages },
          signal,
        }),
      ),
  })
