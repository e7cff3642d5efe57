import { hashKey, useQueries, useQueryClient } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { useRefreshBrief } from '@/api/briefs'
import { Problem, type Schemas } from '@/api/client'
import { bulkChange, casesOf, casesQuery, editCases } from '@/api/datasets'
import type { Condition } from '../conditions'
import { undoOf, type Case, type Done, type EditBody } from './model'

export const PAGE = 200

export type View = { split: string; words: string; where: Condition[]; sort: string; down: boolean }
export const ALL: View = { split: '', words: '', where: [], sort: '', down: false }

type Page = Schemas['CasePage']
export type Bulk = Pick<Schemas['BulkRequest'], 'act' | 'value' | 'column' | 'first' | 'last'>
type More = { columns?: string[]; kinds?: Record<string, string>; why?: string }

/** The cases of a view, page by page as they come into sight, and every change to them with its undo. */
export function useGrid(dataset: Schemas['DatasetShape'], view: View, brief: number) {
  const cache = useQueryClient()
  const refresh = useRefreshBrief(brief)
  const [pages, setPages] = useState([0])
  // Held outside of rendering: an undo that follows an edit at once must find it.
  const past = useRef<EditBody[][]>([])
  const future = useRef<EditBody[][]>([])
  const [depth, setDepth] = useState({ undo: 0, redo: 0 })
  const count = () => setDepth({ undo: past.current.length, redo: future.current.length })
  const [busy, setBusy] = useState(false)
  // Changes are sent one after the other: each names what the one before it made.
  const queue = useRef<Promise<unknown>>(Promise.resolve())
  const narrowed = {
    split: view.split,
    q: view.words,
    where: JSON.stringify(view.where),
    sort: view.sort,
    down: view.down ? ('true' as const) : ('false' as const),
  }
  const asked = pages.map((page) =>
    casesQuery(dataset.id, {
      ...narrowed,
      offset: page * PAGE,
      limit: PAGE,
    }),
  )
  const found = useQueries({ queries: asked.map((q) => ({ ...q, staleTime: Infinity })) })
  const total = found.find((f) => f.data)?.data?.total ?? null
  const rows = new Map<number, Case>()
  found.forEach((f, i) => f.data?.cases.forEach((c, j) => rows.set((pages[i] ?? 0) * PAGE + j, c)))

  /** Ask for the pages that these rows stand on; some further ones are kept. */
  const show = (first: number, last: number) => {
    const wanted = new Set<number>()
    for (let p = Math.floor(first / PAGE); p <= Math.floor(last / PAGE); p++) wanted.add(p)
    if ([...wanted].some((p) => !pages.includes(p)))
      setPages([...new Set([...wanted, ...pages])].slice(0, 12))
  }
  const reload = () => {
    void cache.invalidateQueries({ queryKey: casesOf(dataset.id) })
    refresh()
  }
  const put = (done: Done[]) => {
    const made = new Map(
      done.flatMap((d) => (d.before && d.case ? [[d.before.revision, d.case] as const] : [])),
    )
    // Rows stay where they are: an edit must not make its row jump.
    cache.setQueriesData<Page>(
      { queryKey: casesOf(dataset.id) },
      (page) => page && { ...page, cases: page.cases.map((c) => made.get(c.revision) ?? c) },
    )
  }
  const send = (edits: EditBody[], more: More = {}): Promise<Done[]> => {
    const run = queue.current.then(async () => {
      setBusy(true)
      try {
        const done = await editCases(dataset.id, { edits, ...more })
        put(done.rows)
        // Rows that come or go change every place below them.
        if (done.rows.some((r) => !r.before || !r.case)) reload()
        else {
          refresh()
          // Other views of the same cases are read again when they are next looked at.
          void cache.invalidateQueries({
            queryKey: casesOf(dataset.id),
            refetchType: 'none',
            predicate: (q) => !asked.some((a) => hashKey(a.queryKey) === q.queryHash),
          })
        }
        return done.rows
      } catch (error) {
        if (error instanceof Problem && error.title === 'cases_changed') reload()
        throw error
      } finally {
        setBusy(false)
      }
    })
    queue.current = run.catch(() => undefined)
    return run
  }
  const change = async (edits: EditBody[], more: More = {}): Promise<Done[]> => {
    const done = await send(edits, more)
    if (edits.length) {
      past.current = [...past.current.slice(-99), undoOf(done)]
      future.current = []
      count()
    }
    return done
  }
  /** One change of a stretch of the rows, read or not; it is taken back by the line above the grid. */
  const bulk = async (act: Bulk) => {
    await queue.current
    setBusy(true)
    try {
      const seen = { version: dataset.version_id, changed: dataset.changed }
      await bulkChange(dataset.id, { ...narrowed, ...act, ...seen })
      // What was done before stands on cases that are others now.
      past.current = future.current = []
      count()
    } finally {
      setBusy(false)
      reload()
    }
  }
  const step = async (from: typeof past, to: typeof past, why: string) => {
    // What is still on its way comes first.
    await queue.current
    const edits = from.current.at(-1)
    if (!edits) return
    from.current = from.current.slice(0, -1)
    try {
      to.current = [...to.current, undoOf(await send(edits, { why }))]
    } catch (error) {
      from.current = [...from.current, edits]
      throw error
    } finally {
      count()
    }
  }
  return {
    rows,
    total,
    busy,
    show,
    reload,
    change,
    bulk,
    error: found.find((f) => f.isError)?.error ?? null,
    waiting: found.every((f) => f.isPending),
    canUndo: depth.undo > 0,
    canRedo: depth.redo > 0,
    undo: () => step(past, future, 'undone'),
    redo: () => step(future, past, 'done again'),
  }
}

export type GridData = ReturnType<typeof useGrid>
