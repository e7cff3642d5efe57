import { useQuery, queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Query } from './client'

/** What every page needs: the token for writes, the worker's state, the month's spend. */
export const sessionQuery = () =>
  queryOptions({ queryKey: ['session'] as const, queryFn: () => dataOf(api.GET('/api/session/')) })

/** The docket of briefs, what happened lately, and the month's spend by day. */
export const deskQuery = () =>
  queryOptions({ queryKey: ['desk'] as const, queryFn: () => dataOf(api.GET('/api/desk/')) })

/** What was newly spent, by month, brief and model, the newest month first. */
export const spendQuery = () =>
  queryOptions({
    queryKey: ['ledger', 'spend'] as const,
    queryFn: () => dataOf(api.GET('/api/spend/')),
  })

/** Ledger lines, newest first, narrowed by brief, what, who, since, until, model, setting, words. */
export const ledger = (query: Query<'ledger'>) =>
  dataOf(api.GET('/api/ledger/', { params: { query } }))

/** Trials, cases and answers in which these words stand, or that have this number. */
export const findQuery = (query: Query<'find'>) =>
  queryOptions({
    queryKey: ['find', query] as const,
    queryFn: ({ signal }) => dataOf(api.GET('/api/find/', { params: { query }, signal })),
  })

/** Everything that is read of the ledger, its spend too. */
export const ledgerKey = ['ledger'] as const

export const useSession = () => useQuery({ ...sessionQuery(), refetchInterval: 5000 })
export const useDesk = () => useQuery(deskQuery())
export const useSpend = () => useQuery(spendQuery())
