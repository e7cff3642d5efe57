import { useCallback } from 'react'
import { useSearchParams } from 'react-router'

export const VIEWS = ['Text', 'Versions', 'As sent', 'Weights'] as const
export type View = (typeof VIEWS)[number]
// What the address called them before.
const FORMER: Record<string, View> = { Beside: 'Versions' }

function named(asked: string | null): View {
  return VIEWS.find((v) => v === asked) ?? FORMER[asked ?? ''] ?? 'Text'
}

/** The view is part of the address, so that a reload or a link shows the same. */
export function useView(): [View, (next: View | ((v: View) => View)) => void] {
  const [search, setSearch] = useSearchParams()
  const view = named(search.get('view'))
  const set = useCallback(
    (next: View | ((v: View) => View)) => {
      setSearch(
        (now) => {
          const former = named(now.get('view'))
          const chosen = typeof next === 'function' ? next(former) : next
          if (chosen === 'Text') now.delete('view')
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
