import { useQuery } from '@tanstack/react-query'
import { useEffect, useMemo, useRef } from 'react'
import { useSearchParams } from 'react-router'
import type { Schemas } from '@/api/client'
import { selectionQuery } from '@/api/reviews'
import type { CellOutput, Cells } from '../useCells'
import {
  asShown,
  firstShown,
  queryOf,
  selectionIn,
  shownIn,
  withSelection,
  type Selection,
  type Shown,
} from './selection'

type Trial = Schemas['TrialSummary']

// While answers come in, the selection is asked for again at this pace.
export const PACE_MS = 4000

/** What is looked at of a trial: the selection, and the case and answers that are open; all of it is the address. */
export function useAnswers(trial: Trial, cells: Cells | null) {
  const [search, setSearch] = useSearchParams()
  const running = trial.state === 'running'
  const told = selectionIn(search)
  // Of a running trial what has come in stands first, unless another order was asked for.
  const selection = running && !search.has('order') ? { ...told, order: 'arrival' as const } : told
  const number = Number(search.get('case')) || null
  const found = useQuery({
    // What came last is in it once the trial has ended.
    ...selectionQuery(trial.id, queryOf(selection), trial.state),
    placeholderData: (former) => former,
    // What is being read keeps its place; beside it the order follows what comes in.
    refetchInterval: running && number === null ? PACE_MS : false,
    retry: false,
  })
  const arms = selection.arms.length
    ? trial.arms.filter((a) => selection.arms.includes(a.id))
    : trial.arms
  const byRevision = useMemo(
    () => new Map((cells?.cases ?? []).map((c) => [c.revision, c])),
    [cells?.cases],
  )
  const cases = (found.data?.revisions ?? []).flatMap((r) => byRevision.get(r) ?? [])
  const open =
    number === null ? null : ((cells?.cases ?? []).find((c) => c.number === number) ?? null)
  const named = shownIn(search).filter((s) => trial.arms.some((a) => a.id === s.arm))
  const others = arms.filter((a) => a.id !== trial.reference)
  const begin = [...others].sort((a, b) => (b.mean ?? -1) - (a.mean ?? -1))[0] ?? arms[0]
  // A link may name a case alone.
  const shown =
    named.length || !begin
      ? named
      : firstShown(
          { arm: begin.id, repeat: 0 },
          arms.map((a) => a.id),
          trial.reference,
          trial.repeats,
        )
  const focus = Math.min(
    Math.max(Number(search.get('at') ?? 0) || 0, 0),
    Math.max(0, shown.length - 1),
  )

  // Two changes may follow each other before the page has been drawn again.
  const newest = useRef(search)
  useEffect(() => {
    newest.current = search
  }, [search])
  /** Change the address; replace: the change takes no place in the way back. */
  const go = (change: (next: URLSearchParams) => URLSearchParams | void, replace = false) => {
    const next = new URLSearchParams(newest.current)
    newest.current = change(next) ?? next
    setSearch(newest.current, { replace })
  }
  const ids = arms.map((a) => a.id)
  const show = (next: Shown[], at = focus) =>
    go((s) => {
      s.set('show', asShown(next))
      if (at) s.set('at', String(at))
      else s.delete('at')
    }, true)
  const openCase = (c: Schemas['CellCase'], one?: Shown) =>
    go((s) => {
      s.set('case', String(c.number))
      if (one) {
        s.set('show', asShown(firstShown(one, ids, trial.reference, trial.repeats)))
        s.delete('at')
      }
    }, number !== null)
  return {
    search,
    go,
    selection,
    setSelection: (part: Partial<Selection>) =>
      go((s) => {
        const next = withSelection(s, { ...selectionIn(s), ...part })
        // Said even where it is the usual one: a running trial begins with another.
        if (part.order) next.set('order', part.order)
        return next
      }),
    found: found.data ?? null,
    problem: found.error,
    cases,
    arms,
    open,
    missing: number !== null && cells !== null && open === null ? number : null,
    shown,
    focus,
    show,
    openCase,
    close: () =>
      go((s) => {
        for (const name of ['case', 'show', 'at', 'output']) s.delete(name)
      }),
  }
}

export type Answers = ReturnType<typeof useAnswers>

/** The stored output of an arm for a case in a repeat, if it is there. */
export function outputAt(
  cells: Cells,
  trial: Trial,
  revision: number,
  one: Shown,
): CellOutput | undefined {
  const arm = trial.arms.find((a) => a.id === one.arm)
  return arm && cells.at.get(`${arm.position}:${revision}`)?.find((o) => o.repeat === one.repeat)
}
