import { useQuery } from '@tanstack/react-query'
import { getCulpritsQuery, listCulpritsQuery } from '@/api/culprits'
import type { Schemas } from '@/api/client'

const PACE_MS = 1500
export const UNDER_WAY = ['queued', 'running']

type Found = Schemas['SearchShape']

/** The newest search between two arms of a trial, whole; undefined where there is none. */
export function useCulprits(
  brief: number,
  trial: number,
  older: number | undefined,
  newer: number | undefined,
) {
  const list = useQuery({ ...listCulpritsQuery(brief), enabled: older !== undefined })
  const row = list.data?.find(
    (s) => s.of === trial && s.older_arm === older && s.newer_arm === newer,
  )
  const found = useQuery({
    ...getCulpritsQuery(row?.id ?? 0),
    enabled: row !== undefined,
    refetchInterval: (q) =>
      q.state.data && UNDER_WAY.includes(q.state.data.state) ? PACE_MS : false,
    staleTime: 0,
  })
  return { found: found.data, isRead: list.isSuccess, refresh: () => void list.refetch() }
}

/** How an amendment is called: its clause, or what it changes where it has none. */
export function nameOf(found: Found, ids: string[]): string {
  const told = clausesOf(found, ids)
  const numbers = (struck: boolean) =>
    told.flatMap((a) => (a.clause !== null && (a.kind === 'strike') === struck ? [a.clause] : []))
  const [here, gone] = [numbers(false), numbers(true)]
  return [
    here.length > 0 && `§ ${here.join(', ')}`,
    gone.length > 0 && `§ ${gone.join(', ')} of v${found.older}`,
    here.length + gone.length === 0 && told.map((a) => a.text).join(' with '),
  ]
    .filter(Boolean)
    .join(' with ')
}

/** The amendments of a share that are told: a message around a clause is told by the clause. */
export function clausesOf(found: Found, ids: string[]) {
  const rows = found.amendments.filter((a) => ids.includes(a.id))
  const clauses = rows.filter((a) => a.clause !== null)
  return clauses.length > 0 ? clauses : rows
}

/** By case revision: the amendment that moved it, where that was found out. */
export function movedBy(found: Found | undefined): Map<number, string> {
  const told = new Map<number, string>()
  for (const c of found?.cases ?? []) {
    const share = c.by === null ? undefined : found?.shares[c.by]
    if (found && share) told.set(c.revision, nameOf(found, share.amendments))
  }
  return told
}
