import { useQuery, useQueryClient } from '@tanstack/react-query'
import { api, dataOf } from './client'

/** Keys of everything that is read from the server, in one place. */
export const keys = {
  session: ['session'] as const,
  desk: ['desk'] as const,
  brief: (id: number) => ['brief', id] as const,
  version: (id: number, number: number) => ['brief', id, 'version', number] as const,
  changes: (id: number, number: number, against: number) =>
    ['brief', id, 'changes', number, against] as const,
  cases: (dataset: number, split: string, words: string) =>
    ['cases', dataset, split, words] as const,
  connections: ['connections'] as const,
  health: (id: number) => ['connections', id, 'health'] as const,
  spend: ['ledger', 'spend'] as const,
  trials: (id: number) => ['brief', id, 'trials'] as const,
  trial: (id: number) => ['trial', id] as const,
  cells: (id: number) => ['trial', id, 'cells'] as const,
  output: (id: number) => ['output', id] as const,
  compare: (trial: number, a: number, b: number) => ['trial', trial, 'compare', a, b] as const,
  reading: (id: number, wanted: Wanted) => ['brief', id, 'reading', wanted] as const,
  verdicts: (id: number) => ['brief', id, 'verdicts'] as const,
  measures: ['measures'] as const,
  ledger: ['ledger'] as const,
}

export function useSession() {
  return useQuery({
    queryKey: keys.session,
    queryFn: () => dataOf(api.GET('/api/session/')),
    refetchInterval: 5000,
  })
}

export function useDesk() {
  return useQuery({ queryKey: keys.desk, queryFn: () => dataOf(api.GET('/api/desk/')) })
}

export function useBrief(id: number) {
  return useQuery({
    queryKey: keys.brief(id),
    queryFn: () =>
      dataOf(api.GET('/api/briefs/{brief_id}/', { params: { path: { brief_id: id } } })),
  })
}

export function useVersion(id: number, number: number | null) {
  return useQuery({
    queryKey: keys.version(id, number ?? 0),
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/versions/{number}/', {
          params: { path: { brief_id: id, number: number ?? 0 } },
        }),
      ),
    enabled: number !== null,
    staleTime: Infinity,
  })
}

export function useChanges(id: number, number: number | null, against: number | null) {
  return useQuery({
    queryKey: keys.changes(id, number ?? 0, against ?? 0),
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/versions/{number}/changes/{against}/', {
          params: { path: { brief_id: id, number: number ?? 0, against: against ?? 0 } },
        }),
      ),
    enabled: number !== null && against !== null && number !== against,
    staleTime: Infinity,
  })
}

export function useConnections() {
  return useQuery({
    queryKey: keys.connections,
    queryFn: () => dataOf(api.GET('/api/connections/')),
  })
}

export function useHealth(id: number) {
  return useQuery({
    queryKey: keys.health(id),
    queryFn: () =>
      dataOf(
        api.GET('/api/connections/{connection_id}/health/', {
          params: { path: { connection_id: id } },
        }),
      ),
    refetchInterval: 20_000,
  })
}

export function useSpend() {
  return useQuery({ queryKey: keys.spend, queryFn: () => dataOf(api.GET('/api/spend/')) })
}

export function useTrials(id: number) {
  return useQuery({
    queryKey: keys.trials(id),
    queryFn: () =>
      dataOf(api.GET('/api/briefs/{brief_id}/trials/', { params: { path: { brief_id: id } } })),
  })
}

export function useTrial(id: number | null) {
  return useQuery({
    queryKey: keys.trial(id ?? 0),
    queryFn: () =>
      dataOf(api.GET('/api/trials/{trial_id}/', { params: { path: { trial_id: id ?? 0 } } })),
    enabled: id !== null,
  })
}

export function useOutput(id: number | null) {
  return useQuery({
    queryKey: keys.output(id ?? 0),
    queryFn: () =>
      dataOf(api.GET('/api/outputs/{output_id}/', { params: { path: { output_id: id ?? 0 } } })),
    enabled: id !== null,
  })
}

export function useComparison(trial: number | null, a: number | null, b: number | null) {
  return useQuery({
    queryKey: keys.compare(trial ?? 0, a ?? 0, b ?? 0),
    queryFn: () =>
      dataOf(
        api.GET('/api/trials/{trial_id}/compare/{arm_id}/{against_id}/', {
          params: { path: { trial_id: trial ?? 0, arm_id: a ?? 0, against_id: b ?? 0 } },
        }),
      ),
    enabled: trial !== null && a !== null && b !== null && a !== b,
  })
}

/** What is to be read: a trial (the newest for null), one arm of it or all, cases of one tag or all, in which order ('' lets the server choose). */
export type Wanted = { trial: number | null; arm: number | null; tag: string; order: string }

export function useReading(id: number, wanted: Wanted) {
  return useQuery({
    queryKey: keys.reading(id, wanted),
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/reading/', {
          params: {
            path: { brief_id: id },
            query: {
              ...(wanted.order ? { order: wanted.order } : {}),
              ...(wanted.trial ? { trial: wanted.trial } : {}),
              ...(wanted.arm ? { arm: wanted.arm } : {}),
              ...(wanted.tag ? { tag: wanted.tag } : {}),
            },
          },
        }),
      ),
    // The order is fixed; a refetch in mid-reading must not move the place.
    staleTime: Infinity,
  })
}

export function useVerdicts(id: number) {
  return useQuery({
    queryKey: keys.verdicts(id),
    queryFn: () =>
      dataOf(api.GET('/api/briefs/{brief_id}/verdicts/', { params: { path: { brief_id: id } } })),
  })
}

/** Tell the cache that something about a brief has changed. */
export function useRefreshBrief(id: number) {
  const cache = useQueryClient()
  return () => {
    void cache.invalidateQueries({ queryKey: keys.brief(id) })
    void cache.invalidateQueries({ queryKey: keys.desk })
    void cache.invalidateQueries({ queryKey: keys.ledger })
  }
}
