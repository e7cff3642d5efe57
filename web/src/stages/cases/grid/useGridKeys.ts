import type { ClipboardEvent, KeyboardEvent, RefObject } from 'react'
import { inWords } from '@/api/client'
import { isKey } from '@/keys/registry'
import { parseClipboard, type Case, type Cell, type Column } from './model'
import type { GridData } from './useGrid'
import type { GridActs } from './useGridActs'

export const ROW = 46

/** The grid by keyboard and clipboard. */
export function useGridKeys(
  data: GridData,
  columns: Column[],
  scroller: RefObject<HTMLDivElement | null>,
  acts: GridActs,
  onOpen: (c: Case) => void,
) {
  const { editing, focus, range, rowAt, go, startEdit, clear, copied, lay } = acts
  const { setProblem, setAnchor, setFocus } = acts
  const total = data.total ?? 0
  const onKey = (e: KeyboardEvent) => {
    if (editing || e.target !== scroller.current) return
    const page = Math.max(1, Math.floor((scroller.current?.clientHeight ?? 400) / ROW) - 1)
    const moves: Record<string, Cell> = {
      ArrowDown: { row: focus.row + 1, column: focus.column },
      ArrowUp: { row: focus.row - 1, column: focus.column },
      ArrowRight: { row: focus.row, column: focus.column + 1 },
      ArrowLeft: { row: focus.row, column: focus.column - 1 },
      PageDown: { row: focus.row + page, column: focus.column },
      PageUp: { row: focus.row - page, column: focus.column },
      Home: { row: e.ctrlKey ? 0 : focus.row, column: 0 },
      End: { row: e.ctrlKey ? total - 1 : focus.row, column: columns.length - 1 },
    }
    const command = e.ctrlKey || e.metaKey
    const to = moves[e.key]
    const step = (work: Promise<void>) =>
      void work.catch((error: unknown) => setProblem({ text: inWords(error), at: null }))
    if (to) go(to, e.shiftKey)
    else if (isKey(e, 'cases.undo')) step(data.undo())
    else if (isKey(e, 'cases.redo')) step(data.redo())
    else if (isKey(e, 'cases.all')) {
      setAnchor({ row: 0, column: 0 })
      setFocus({ row: Math.max(0, total - 1), column: columns.length - 1 })
    } else if (isKey(e, 'cases.open')) {
      const c = rowAt(focus.row)
      if (c) onOpen(c)
    } else if (isKey(e, 'cases.edit')) startEdit()
    else if (isKey(e, 'cases.empty')) clear()
    else if (e.key === 'Escape') setAnchor(focus)
    else if (e.key.length === 1 && !command && !e.altKey) startEdit(e.key)
    else return
    e.preventDefault()
    // A letter that begins an edit is no shortcut of the page.
    e.stopPropagation()
  }
  const onCopy = (e: ClipboardEvent) => {
    if (editing || e.target !== scroller.current) return
    e.clipboardData.setData('text/plain', copied())
    e.preventDefault()
  }
  const onPaste = (e: ClipboardEvent) => {
    if (editing || e.target !== scroller.current) return
    e.preventDefault()
    const cells = parseClipboard(e.clipboardData.getData('text/plain'))
    // One value over a chosen range fills it.
    const one = cells.length === 1 && cells[0]?.length === 1 ? cells[0][0] : undefined
    const filled =
      one !== undefined && (range.top < range.bottom || range.left < range.right)
        ? Array.from({ length: range.bottom - range.top + 1 }, () =>
            Array<string>(range.right - range.left + 1).fill(one),
          )
        : cells
    lay(filled, { row: range.top, column: range.left })
  }
  return { onKey, onCopy, onPaste }
}
