import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useRef } from 'react'
import { ErrorLine } from '@/parts/controls'
import { GridRow } from './GridRow'
import { HeadCell } from './HeadCell'
import { layoutOf, type Case, type Column } from './model'
import { SelectionBar } from './SelectionBar'
import type { GridData, View } from './useGrid'
import { useGridActs } from './useGridActs'
import { ROW, useGridKeys } from './useGridKeys'

type Props = {
  data: GridData
  columns: Column[]
  view: View
  setView: (v: View) => void
  setKind: (column: string, kind: string) => Promise<void>
  onOpen: (c: Case) => void
  labels: string[]
}

/** Every case a row, edited in place: cells are chosen and filled with the keyboard alone. */
export function Grid({ data, columns, view, setView, setKind, onOpen, labels }: Props) {
  const scroller = useRef<HTMLDivElement>(null)
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
  const acts = useGridActs(data, columns, scroller, (row) => virtual.scrollToIndex(row))
  const named = items.some((item) => acts.rowAt(item.index)?.id)
  const { template, width } = layoutOf(columns, named)
  const { focus, problem, setProblem, range, chosen } = acts
  const { onKey, onCopy, onPaste } = useGridKeys(data, columns, scroller, acts, onOpen)
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
            column={{ key: '#number', name: named ? 'Id' : 'No.', kind: 'number' }}
            view={view}
            setView={setView}
            setKind={setKind}
          />
          {columns.map((c) => (
            <HeadCell key={c.key} column={c} view={view} setView={setView} setKind={setKind} />
          ))}
        </div>
        <div className="relative" style={{ height: virtual.getTotalSize(), width }}>
          {items.map((item) => (
            <GridRow
              key={item.index}
              item={item}
              total={total}
              columns={columns}
              template={template}
              labels={labels}
              acts={acts}
              onOpen={onOpen}
            />
          ))}
        </div>
      </div>
      <SelectionBar
        key={`${range.top}-${range.bottom}`}
        cases={chosen()}
        first={range.top}
        last={Math.min(range.bottom, total - 1)}
        columns={columns}
        data={data}
        onProblem={(text) => setProblem(text === null ? null : { text, at: null })}
      />
    </>
  )
}
