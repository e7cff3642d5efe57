import { useQuery, queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body } from './client'

/** Save the text under work as a new version. */
export const saveVersion = (brief: number, body: Body<'save_version'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/versions/', { params: { path: { brief_id: brief } }, body }),
  )

/** One version whole. */
export const versionQuery = (brief: number, number: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'version', number] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/versions/{number}/', {
          params: { path: { brief_id: brief, number } },
        }),
      ),
  })

/** Change a version's note or tags, archive it or bring it back. */
export const annotateVersion = (
  brief: number,
  number: number,
  body: Body<'annotate_version'> = {},
) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/versions/{number}/annotate/', {
      params: { path: { brief_id: brief, number } },
      body,
    }),
  )

/** What leads from one version to another, clause by clause. */
export const changesQuery = (brief: number, number: number, against: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'changes', number, against] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/versions/{number}/changes/{against}/', {
          params: { path: { brief_id: brief, number, against } },
        }),
      ),
  })

/** Two to four versions clause by clause, held against the first of them. */
export const sideBySideQuery = (brief: number, versions: number[]) =>
  queryOptions({
    queryKey: ['side by side', brief, versions] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/side-by-side/', {
          params: { path: { brief_id: brief }, query: { versions: versions.join(',') } },
        }),
      ),
    staleTime: Infinity,
  })

/** Numbers of the versions in which all these words stand, the newest first. */
export const findVersionsQuery = (brief: number, q: string) =>
  queryOptions({
    queryKey: ['brief', brief, 'versions found', q] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/versions/found/', {
          params: { path: { brief_id: brief }, query: { q } },
        }),
      ),
  })

/** The version that brought a clause in, and each change of it since. */
export const clauseHistoryQuery = (brief: number, number: number, clause: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'clause', number, clause] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/versions/{number}/clauses/{clause}/', {
          params: { path: { brief_id: brief, number, clause } },
        }),
      ),
  })

/** What bringing another branch into a version offers, amendment by amendment. */
export const mergePlanQuery = (brief: number, number: number, other: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'merge', number, other] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/versions/{number}/merge/{other}/', {
          params: { path: { brief_id: brief, number, other } },
        }),
      ),
  })

/** The version's text with the chosen amendments of the other branch; nothing is saved yet. */
export const merge = (brief: number, number: number, other: number, body: Body<'merge'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/versions/{number}/merged/{other}/', {
      params: { path: { brief_id: brief, number, other } },
      body,
    }),
  )

/** The text without some of its amendments against a version, and those that require them. */
export const leaveAmendments = (brief: number, body: Body<'leave_amendments'>) =>
  dataOf(api.POST('/api/briefs/{brief_id}/leave/', { params: { path: { brief_id: brief } }, body }))

/** A version that is shown; none is asked for while there is none in hand. */
export const useVersion = (brief: number, number: number | null) =>
  useQuery({ ...versionQuery(brief, number ?? 0), enabled: number !== null, staleTime: Infinity })

export const useChanges = (brief: number, number: number | null, against: number | null) =>
  useQuery({
    ...changesQuery(brief, number ?? 0, against ?? 0),
    enabled: number !== null && against !== null && number !== against,
    staleTime: Infinity,
  })
