import { useQuery, useQueryClient, type QueryKey, queryOptions } from '@tanstack/react-query'
import { deskQuery, ledgerKey } from './desk'
import { api, dataOf, type Body } from './client'

/** The frame around a brief: stages, lineage, datasets, scorecard. */
export const briefQuery = (brief: number) =>
  queryOptions({
    queryKey: ['brief', brief] as const,
    queryFn: () =>
      dataOf(api.GET('/api/briefs/{brief_id}/', { params: { path: { brief_id: brief } } })),
  })

/** Open a new brief. */
export const createBrief = (body: Body<'create_brief'>) =>
  dataOf(api.POST('/api/briefs/', { body }))

/** Change a brief's name, job or task. */
export const changeBrief = (brief: number, body: Body<'change_brief'>) =>
  dataOf(api.PUT('/api/briefs/{brief_id}/change/', { params: { path: { brief_id: brief } }, body }))

/** Save a scorecard; the former ones stay. */
export const saveScorecard = (brief: number, body: Body<'save_scorecard'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/scorecards/', { params: { path: { brief_id: brief } }, body }),
  )

/** Every scorecard of a brief, the newest first. */
export const scorecardsQuery = (brief: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'scorecards'] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/scorecards/all/', {
          params: { path: { brief_id: brief } },
        }),
      ),
  })

/** Every measure with its parameters. */
export const measuresQuery = () =>
  queryOptions({
    queryKey: ['measures'] as const,
    queryFn: () => dataOf(api.GET('/api/measures/')),
  })

/** What the judge of each measure is told unless it is changed. */
export const judgeInstructionsQuery = () =>
  queryOptions({
    queryKey: ['judge-instructions'] as const,
    queryFn: () => dataOf(api.GET('/api/judge-instructions/')),
  })

export const useBrief = (brief: number, on = true) =>
  useQuery({ ...briefQuery(brief), enabled: on })

/** What tells of a brief as a whole: itself with all below it, the desk, the ledger. */
export const briefKeys = (brief: number): QueryKey[] => [
  briefQuery(brief).queryKey,
  deskQuery().queryKey,
  ledgerKey,
]

/** Tell the cache that something about a brief has changed. */
export function useRefreshBrief(brief: number) {
  const cache = useQueryClient()
  return () => briefKeys(brief).forEach((queryKey) => void cache.invalidateQueries({ queryKey }))
}
