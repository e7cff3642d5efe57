import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { useSearchParams } from 'react-router'
import type { Schemas } from '@/api/client'
import { armsInFullQuery } from '@/api/reviews'
import { PACE_MS } from './answers/useAnswers'
import { columnsOf } from './armColumns'
import { chosenColumns, sorted, sortingIn, sortingText, type Sorting } from './arms'

type Trial = Schemas['TrialSummary']

/** A trial's arms as table and matrix show them: their order and columns stand in the address. */
export function useArms(trial: Trial) {
  const [search, setSearch] = useSearchParams()
  const full = useQuery({
    ...armsInFullQuery(trial.id, trial.state),
    enabled: trial.done > 0,
    refetchInterval: trial.state === 'running' ? PACE_MS : false,
    placeholderData: (former) => former,
  })
  const own = useMemo(
    () => new Map((full.data?.arms ?? []).map((a) => [a.arm, a])),
    [full.data?.arms],
  )
  const all = columnsOf(trial, full.data)
  const sorting = sortingIn(search.get('sort'))
  const put = (name: string, value: string) =>
    setSearch(
      (now) => {
        if (value) now.set(name, value)
        else now.delete(name)
        return now
      },
      { replace: true },
    )
  const shown = chosenColumns(all, search.get('columns'))
  const usual = all.filter((c) => c.usual)
  return {
    full: full.data,
    own,
    all,
    shown,
    sorting,
    /** Whether an order was asked for. */
    asked: search.has('sort'),
    order: (arms: Trial['arms']) => sorted(arms, sorting, own, all),
    setSorting: (s: Sorting) => put('sort', sortingText(s)),
    setColumns: (keys: string[]) =>
      put('columns', keys.join() === usual.map((c) => c.key).join() ? '' : JSON.stringify(keys)),
  }
}
