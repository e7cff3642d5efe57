import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useRef, useState, type ClipboardEvent, type KeyboardEvent } from 'react'
import { inWords } from '@/api/client'
import { ErrorLine } from '@/parts/controls'
import { CellEditor } from './CellEditor'
import { HeadCell } from './HeadCell'
import {
  cellText,
  editOf,
  layoutOf,
  parseClipboard,
  rangeOf,
  SPLIT,
  toClipboard,
  within,
  type Case,
  type Cell,
  type Column,
  type EditBody,
} from './model'
import { SelectionBar } from './SelectionBar'
import type { GridData, View } from './useGrid'

type Props = {
  data: GridData
  columns: Column[]
  view: View
  setView: (v: View) => void
  setKind: (column: string, kind: string) => Promise<void>
  onOpen: (c: Case) => void
  labels: string[]
}

const ROW = 46

/** Every case a row, edited in place: cells are chosen and filled with the keyboard alone. */
export function Grid({ data, columns, view, setView, setKind, onOpen, labels }: Props) {
  const scroller = useRef<HTMLDivElement>(null)
  const [focus, setFocus] = useState<Cell>({ row: 0, column: 0 })
  const [anchor, setAnchor] = useState<Cell>({ row: 0, column: 0 })
  const [editing, setEditing] = useState<{ cell: Cell; text: string } | null>(null)
  const [problem, setProblem] = useState<{ text: string; at: Cell | null } | null>(null)
  // What was typed and is on its way, so that the cell does not fall back meanwhile.
  const [sent, setSent] = useState<Record<string, string>>({})
  const total = data.total ?? 0
  // The row below the last one takes a new case.
  const count = total + 1
  const virtual = useVirtualizer({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 10,
  })
  const items = virtual.getVirtualItems()
  const [first, last] = [items[0]?.index ?? 0, items.at(-1)?.index ?? 0]
  const { show } = data
  useEffect(() => show(first, Math.min(last, Math.max(0, total - 1))), [first, last, total, show])
  const range = rangeOf(anchor, focus)
  const { template, width } = layoutOf(columns)
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
    virtual.scrollToIndex(to.row)
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
      setProblem({
        text: `${unread} of these rows are not read yet: scroll over them, then paste again. Nothing was changed.`,
        at: null,
      })
      return
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
    if (to) go(to, e.shiftKey)
    else if (command && e.key.toLowerCase() === 'z')
      void (e.shiftKey ? data.redo() : data.undo()).catch((error: unknown) =>
        setProblem({ text: inWords(error), at: null }),
      )
    else if (command && e.key.toLowerCase() === 'a') {
      setAnchor({ row: 0, column: 0 })
      setFocus({ row: Math.max(0, total - 1), column: columns.length - 1 })
    } else if (e.key === 'Enter' && command) {
      const c = rowAt(focus.row)
      if (c) onOpen(c)
    } else if (e.key === 'Enter' || e.key === 'F2') startEdit()
    else if (e.key === 'Delete' || e.key === 'Backspace') clear()
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
  return (
    <>
      {problem && !problem.at && (
        <div className="mt-2">
          <ErrorLine>{problem.text}</ErrorLine>
        </div>
      )}
      {/* The grid is the one stop of the Tab key; its cells are reached with the arrows. */}
      <div
        ref={scroller}
        role="grid"
        aria-label="Cases"
        aria-rowcount={count + 1}
        aria-colcount={columns.length + 1}
        aria-multiselectable
        aria-activedescendant={`cell-${focus.row}-${focus.column}`}
        tabIndex={0}
        className="group/grid relative h-[calc(100dvh-17.4rem)] overflow-auto border-b border-rule outline-none"
        onKeyDown={onKey}
        onCopy={onCopy}
        onPaste={onPaste}
      >
        <div
          role="row"
          aria-rowindex={1}
          className="sticky top-0 z-10 grid border-b border-rule-strong bg-paper text-xs text-soft"
          style={{ gridTemplateColumns: template, width }}
        >
          <HeadCell
            column={{ key: '#number', name: 'No.', kind: 'number' }}
            view={view}
            setView={setView}
            setKind={setKind}
          />
          {columns.map((c) => (
            <HeadCell key={c.key} column={c} view={view} setView={setView} setKind={setKind} />
          ))}
        </div>
        <div className="relative" style={{ height: virtual.getTotalSize(), width }}>
          {items.map((item) => {
            const c = rowAt(item.index)
            const fresh = item.index === total
            return (
              <div
                key={item.index}
                role="row"
                aria-rowindex={item.index + 2}
                className="absolute inset-x-0 grid border-b border-rule text-sm"
                style={{
                  gridTemplateColumns: template,
                  height: item.size,
                  transform: `translateY(${item.start}px)`,
                }}
              >
                <span role="rowheader" className="flex items-center px-1.5">
                  {c ? (
                    <button
                      type="button"
                      tabIndex={-1}
                      className="font-mono text-xs text-action underline underline-offset-2"
                      onClick={() => onOpen(c)}
                      aria-label={`Open case ${c.number}`}
                    >
                      {c.number}
                    </button>
                  ) : (
                    <span className="text-xs text-soft">{fresh ? 'new' : '…'}</span>
                  )}
                </span>
                {columns.map((column, j) => {
                  const cell = { row: item.index, column: j }
                  const isFocus = focus.row === cell.row && focus.column === j
                  const open = editing?.cell.row === cell.row && editing.cell.column === j
                  return (
                    // The grid handles the keys; a press chooses, a second one edits.
                    // eslint-disable-next-line jsx-a11y/click-events-have-key-events, jsx-a11y/interactive-supports-focus
                    <div
                      key={column.key}
                      role="gridcell"
                      id={`cell-${cell.row}-${j}`}
                      aria-selected={within(range, cell.row, j)}
                      className={`relative min-w-0 px-1.5 py-1 aria-selected:bg-wash-action ${isFocus ? 'outline-2 -outline-offset-2 outline-action not-group-focus/grid:outline-rule-strong' : ''}`}
                      onClick={(e) => {
                        if (open) return
                        go(cell, e.shiftKey)
                        home()
                      }}
                      onDoubleClick={() => !open && startEdit()}
                    >
                      {open ? (
                        <CellEditor
                          column={column}
                          text={editing.text}
                          labels={labels}
                          problem={
                            problem?.at && problem.at.row === cell.row && problem.at.column === j
                              ? problem.text
                              : null
                          }
                          onCommit={(text, move) => void commit(text, move)}
                          onLeave={() => {
                            setEditing(null)
                            setProblem(null)
                            home()
                          }}
                        />
                      ) : (
                        <CellText
                          column={column}
                          text={textAt(cell.row, column)}
                          hint={fresh && j === 0 ? 'type or paste to add a case' : ''}
                        />
                      )}
                    </div>
                  )
                })}
              </div>
            )
          })}
        </div>
      </div>
      <SelectionBar
        key={`${range.top}-${range.bottom}`}
        cases={chosen()}
        wanted={Math.min(range.bottom, total - 1) - range.top + 1}
        columns={columns}
        data={data}
        onProblem={(text) => setProblem(text === null ? null : { text, at: null })}
      />
    </>
  )
}

function CellText({ column, text, hint }: { column: Column; text: string; hint: string }) {
  if (column.key === SPLIT) {
    return text === 'held-out' ? (
      <span className="rounded-sm border border-attention px-1 text-2xs whitespace-nowrap text-attention-text">
        held out
      </span>
    ) : (
      <span className="text-xs text-soft">{text}</span>
    )
  }
  const look = {
    number: 'text-right font-mono text-xs',
    json: 'font-mono text-2xs',
    reference: 'font-mono text-2xs text-soft',
    conversation: 'text-xs',
    tags: 'text-xs text-soft',
    label: '',
    text: '',
    'long-text': '',
    split: '',
  }[column.kind]
  if (!text && hint) return <span className="text-xs text-soft italic">{hint}</span>
  return (
    <span className={`line-clamp-2 break-words whitespace-pre-wrap ${look}`} dir="auto">
      {column.kind === 'conversation' ? spoken(text) : text}
    </span>
  )
}

/** A conversation in few words: its first turn and how many follow, or who is played. */
function spoken(text: string): string {
  if (!text) return ''
  const told = JSON.parse(text) as string[] | { user: string; most: number }
  return Array.isArray(told)
    ? `${told[0] ?? ''}${told.length > 1 ? ` (+${told.length - 1})` : ''}`
    : `played, at most ${told.most}: ${told.user}`
}

function clamp(n: number, low: number, high: number): number {
  return Math.min(Math.max(n, low), high)
}
