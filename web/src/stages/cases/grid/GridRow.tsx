import type { VirtualItem } from '@tanstack/react-virtual'
import { caseName } from '@/parts/caseName'
import { CellEditor } from './CellEditor'
import { CellText } from './CellText'
import { within, type Case, type Column } from './model'
import type { GridActs } from './useGridActs'

type Props = {
  item: VirtualItem
  total: number
  columns: Column[]
  template: string
  labels: string[]
  acts: GridActs
  onOpen: (c: Case) => void
}

/** One case, or the empty row that takes a new one. */
export function GridRow({ item, total, columns, template, labels, acts, onOpen }: Props) {
  const { focus, editing, setEditing, problem, setProblem, range } = acts
  const { rowAt, textAt, go, home, commit, startEdit } = acts
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
      <span role="rowheader" className="flex min-w-0 items-center px-1.5">
        {c ? (
          <button
            type="button"
            tabIndex={-1}
            className="truncate font-mono text-xs text-action underline underline-offset-2"
            onClick={() => onOpen(c)}
            aria-label={`Open case ${caseName(c)}`}
            title={c.id ? `${c.id}, case number ${c.number}` : undefined}
          >
            {caseName(c)}
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
}
