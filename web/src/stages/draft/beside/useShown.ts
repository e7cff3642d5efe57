import { useQueries, useQuery } from '@tanstack/react-query'
import type { Schemas } from '@/api/client'
import { getCulpritsQuery, listCulpritsQuery } from '@/api/culprits'

export type Shown = { word: 'helped' | 'hurt'; share: number; older: number; newer: number }

/**
 * What was found out of a version's amendments, by their words: which helped, which hurt, in whatever
 * search led to it. The newest search of the same words counts.
 */
export function useShown(brief: number, version: number): Map<string, Shown> {
  const list = useQuery(listCulpritsQuery(brief))
  const own = (list.data ?? []).filter((s) => s.newer === version && s.state === 'complete')
  const found = useQueries({ queries: own.map((s) => getCulpritsQuery(s.id)) })
  const told = new Map<string, Shown>()
  for (const search of found) if (search.data) tell(told, search.data)
  return told
}

function tell(told: Map<string, Shown>, found: Schemas['SearchShape']) {
  for (const share of found.shares) {
    if (share.word === 'not shown') continue
    const { word } = share
    for (const a of found.amendments)
      if (share.amendments.includes(a.id) && a.text.trim() !== '' && !told.has(a.text.trim()))
        told.set(a.text.trim(), {
          word,
          share: share.share,
          older: found.older,
          newer: found.newer,
        })
  }
}
