import { useCallback } from 'react'
import { useSearchParams } from 'react-router'

export const VIEWS = ['Clauses', 'As sent', 'Try', 'Pinned', 'Sweep', 'Beside', 'Weights'] as const
export type View = (typeof VIEWS)[number]

/** The view is part of the address, so that a reload or a link shows the same. */
export function useView(): [View, (next: View | ((v: View) => View)) => void] {
  const [search, setSearch] = useSearchParams()
  const asked = search.get('view')
  const view = VIEWS.find((v) => v === asked) ?? 'Clauses'
  const set = useCallback(
    (next: View | ((v: View) => View)) => {
      setSearch(
        (now) => {
          const former = VIEWS.find((v) => v === now.get('view')) ?? 'Clauses'
          const chosen = typeof next === 'function' ? next(former) : next
          if (chosen === 'Clauses') now.delete('view')
          else now.set('view', chosen)
          return now
        },
        { replace: true },
      )
    },
    [setSearch],
  )
  return [view, set]
}
