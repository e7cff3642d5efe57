import { useState, type RefObject } from 'react'
import { inWords } from '@/api/client'
import {
  cellText,
  editOf,
  rangeOf,
  SPLIT,
  toClipboard,
  type Case,
  type Cell,
  type Column,
  type EditBody,
} from './model'
import type { GridData } from './useGrid'

/** Which cells are chosen, which one is edited, and every change to them. */
export function useGridActs(
  data: GridData,
  columns: Column[],
  scroller: RefObject<HTMLDivElement | null>,
  scrollTo: (row: number) => void,
) {
  const [focus, setFocus] = useState<Cell>({ row: 0, column: 0 })
  const [anchor, setAnchor] = useState<Cell>({ row: 0, column: 0 })
  const [editing, setEditing] = useState<{ cell: Cell; text: string } | null>(null)
  const [problem, setProblem] = useState<{ text: string; at: Cell | null } | null>(null)
  // What was typed and is on its way, so that the cell does not fall back meanwhile.
  const [sent, setSent] = useState<Record<string, string>>({})
  const total = data.total ?? 0
  // The row below the last one takes a new case.
  const count = total + 1
  const range = rangeOf(anchor, focus)
  const rowAt = (row: number): Case | null => data.rows.get(row) ?? null
  const textAt = (row: number, column: Column) => {
    const c = rowAt(row)
    return sent[`${c?.revision ?? 'new'} ${column.key}`] ?? (c ? cellText(c, column) : '')
  }
  const go = (cell: Cell, extend = false) => {
    const to = {
      row: clamp(cell.row, 0, count - 1),
      column: clamp(cell.column, 0, columns.length - 1),
    }
    setFocus(to)
    if (!extend) setAnchor(to)
    scrollTo(to.row)
  }
  const home = () => scroller.current?.focus({ preventScroll: true })

  const save = async (
    edits: EditBody[],
    shown: Record<string, string>,
    at: Cell | null,
  ): Promise<boolean> => {
    setProblem(null)
    setSent((all) => ({ ...all, ...shown }))
    try {
      await data.change(edits)
      return true
    } catch (error) {
      setProblem({ text: inWords(error), at })
      return false
    } finally {
      setSent((all) => Object.fromEntries(Object.entries(all).filter(([k]) => !(k in shown))))
    }
  }
  const commit = async (text: string, move: { rows: number; columns: number }) => {
    if (!editing) return
    const { cell } = editing
    const column = columns[cell.column]
    if (!column) return
    const c = rowAt(cell.row)
    if (text === (c ? cellText(c, column) : '')) {
      setEditing(null)
    } else {
      const ok = await save(
        [editOf(c, new Map([[column, text]]))],
        { [`${c?.revision ?? 'new'} ${column.key}`]: text },
        cell,
      )
      // What was typed stays in its cell until it can be kept.
      if (!ok) return setEditing({ cell, text })
      setEditing(null)
    }
    go({ row: cell.row + move.rows, column: cell.column + move.columns })
    home()
  }
  /** Texts laid over the cells from a corner on; rows below the last one become new cases. */
  const lay = (cells: string[][], from: Cell) => {
    const edits: EditBody[] = []
    const shown: Record<string, string> = {}
    let unread = 0
    cells.forEach((texts, i) => {
      const row = from.row + i
      const c = rowAt(row)
      if (row < total && !c) {
        unread += 1
        return
      }
      const map = new Map<Column, string>()
      texts.forEach((text, j) => {
        const column = columns[from.column + j]
        if (!column || text === (c ? cellText(c, column) : '')) return
        map.set(column, text)
        if (c) shown[`${c.revision} ${column.key}`] = text
      })
      if (map.size) edits.push(editOf(c, map))
    })
    if (unread) {
      return setProblem({ text: unreadRows(unread), at: null })
    }
    if (edits.length) void save(edits, shown, from)
  }
  const startEdit = (text?: string) => {
    const column = columns[focus.column]
    if (!column || (focus.row < total && !rowAt(focus.row))) return
    setProblem(null)
    setEditing({ cell: focus, text: text ?? textAt(focus.row, column) })
  }
  const chosen = () => {
    const rows: Case[] = []
    for (let r = range.top; r <= range.bottom; r++) {
      const c = rowAt(r)
      if (c) rows.push(c)
    }
    return rows
  }
  const copied = () => {
    const rows: string[][] = []
    for (let r = range.top; r <= range.bottom; r++)
      rows.push(columns.slice(range.left, range.right + 1).map((c) => textAt(r, c)))
    return toClipboard(rows)
  }
  const clear = () =>
    lay(
      // A part cannot be empty: it stays as it is.
      Array.from({ length: range.bottom - range.top + 1 }, (_, i) =>
        columns
          .slice(range.left, range.right + 1)
          .map((c) => (c.key === SPLIT ? textAt(range.top + i, c) : '')),
      ),
      { row: range.top, column: range.left },
    )
  return {
    focus,
    setFocus,
    anchor,
    setAnchor,
    editing,
    setEditing,
    problem,
    setProblem,
    range,
    rowAt,
    textAt,
    go,
    home,
    commit,
    lay,
    startEdit,
    chosen,
    copied,
    clear,
  }
}

export type GridActs = ReturnType<typeof useGridActs>

function clamp(n: number, low: number, high: number): number {
  return Math.min(Math.max(n, low), high)
}

const unreadRows = (n: number) =>
  `${n} of these rows are not read yet: scroll over them, then paste again. Nothing was changed.`
