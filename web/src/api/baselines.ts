import { queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body, type Query } from './client'

/** Answers from elsewhere to the cases of a brief. */
export const baselinesQuery = (brief: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'baselines'] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/baselines/', { params: { path: { brief_id: brief } } }),
      ),
  })

/** Open a further set of answers from elsewhere. */
export const makeBaseline = (brief: number, body: Body<'make_baseline'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/baselines/', { params: { path: { brief_id: brief } }, body }),
  )

/** Rename answers from elsewhere, put them away or bring them back. */
export const changeBaseline = (baseline: number, body: Body<'change_baseline'>) =>
  dataOf(
    api.PUT('/api/baselines/{baseline_id}/', { params: { path: { baseline_id: baseline } }, body }),
  )

/** Cases beside the answers brought in, a page of them. */
export const baselineSheetQuery = (baseline: number, query: Query<'baseline_sheet'>) =>
  queryOptions({
    queryKey: ['baseline', baseline, 'sheet', query] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/baselines/{baseline_id}/sheet/', {
          params: { path: { baseline_id: baseline }, query },
        }),
      ),
  })

/** Put one answer down beside its case; a blank one takes it away. */
export const writeAnswer = (baseline: number, case_: number, body: Body<'write_answer'>) =>
  dataOf(
    api.PUT('/api/baselines/{baseline_id}/answers/{case_id}/', {
      params: { path: { baseline_id: baseline, case_id: case_ } },
      body,
    }),
  )
