import { useVirtualizer } from '@tanstack/react-virtual'
import { useMemo, useRef, useState } from 'react'
import type { Schemas } from '@/api/client'
import { useKeys } from '@/keys/useKeys'
import { Choice } from '@/parts/controls'
import { rampStep, score } from '@/parts/numbers'
import { RAMP, rampColours } from '@/parts/ramp'
import type { CellOutput, Cells } from './useCells'

type Arm = Schemas['ArmOnBoard']
type Order = 'arrival' | 'dataset' | 'disagreement' | 'worst'

type Props = {
  cells: Cells
  arms: Arm[]
  repeats: number
  running: boolean
  paused: boolean
  onOpen: (output: number) => void
}

const ROW = 23

/** Cases × arms, filling in as answers arrive; every cell opens its answer. */
export function Matrix({ cells, arms, repeats, running, paused, onOpen }: Props) {
  const [order, setOrder] = useState<Order>(running ? 'arrival' : 'dataset')
  const [at, setAt] = useState({ row: 0, arm: 0 })
  const [keyed, setKeyed] = useState(false)
  const scroller = useRef<HTMLDivElement>(null)
  const cases = useMemo(() => ordered(cells, arms, order), [cells, arms, order])
  const rows = useVirtualizer({
    count: cases.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 15,
  })

  const move = (down: number, right: number) => {
    setKeyed(true)
    const row = Math.min(Math.max(at.row + down, 0), cases.length - 1)
    setAt({ row, arm: Math.min(Math.max(at.arm + right, 0), arms.length - 1) })
    rows.scrollToIndex(row)
  }
  useKeys(
    {
      'board.next': () => move(1, 0),
      'board.before': () => move(-1, 0),
      'board.right': () => move(0, 1),
      'board.left': () => move(0, -1),
      'board.open': (press) => {
        // Enter on a button is that button's.
        const here = press?.target === document.body || press?.target === scroller.current
        if (!keyed || !here) return false
        const first = cellOf(cells, arms[at.arm], cases[at.row])?.[0]
        if (first) onOpen(first.output)
        return true
      },
    },
    !paused,
  )

  const template = `2.2rem minmax(7rem, 1fr) repeat(${arms.length}, minmax(2.3rem, ${arms.length > 8 ? 2.75 : 3.6}rem))`
  const minWidth = 160 + arms.length * 39
  return (
    <section className="mt-5">
      <div className="flex items-center gap-4">
        <h2 className="text-base">Cases × arms</h2>
        <Choice
          label="Order of cases"
          hideLabel
          className="w-52"
          value={order}
          onChange={(e) => setOrder(e.target.value as Order)}
        >
          <option value="arrival">as the answers came</option>
          <option value="dataset">as in the dataset</option>
          <option value="disagreement">most disagreement first</option>
          <option value="worst">lowest mean first</option>
        </Choice>
        <Legend />
      </div>
      {/* A scrolling region must be reachable by keyboard. */}
      <div
        ref={scroller}
        tabIndex={0}
        role="table"
        aria-label="Scores of every case by every arm"
        aria-rowcount={cases.length}
        className="mt-2 max-h-[calc(100dvh-17rem)] min-h-40 overflow-auto border-b border-rule"
      >
        <div role="rowgroup" className="sticky top-0 z-[1] bg-paper">
          <div
            role="row"
            className="grid gap-0.5 pb-0.5 text-xs text-soft"
            style={{ gridTemplateColumns: template, minWidth }}
          >
            <span role="columnheader">
              <span className="sr-only">Number</span>
            </span>
            <span role="columnheader">
              <span className="sr-only">Case</span>
            </span>
            {arms.map((a) => (
              <span
                key={a.id}
                role="columnheader"
                className="text-center font-mono"
                title={`${a.letter}: ${a.version_label} on ${a.model}, ${a.settings_short}`}
              >
                {a.letter}
              </span>
            ))}
          </div>
        </div>
        <div role="rowgroup" className="relative" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((item) => {
            const c = cases[item.index]
            if (!c) return null
            return (
              <div
                key={c.revision}
                role="row"
                className="absolute left-0 grid w-full items-center gap-0.5"
                style={{
                  gridTemplateColumns: template,
                  minWidth,
                  height: ROW,
                  transform: `translateY(${item.start}px)`,
                }}
              >
                <span role="rowheader" className="font-mono text-xs text-soft">
                  {c.number}
                </span>
                <span role="cell" className="truncate pr-2 text-xs" title={c.text}>
                  {c.text}
                </span>
                {arms.map((a, i) => (
                  <Cell
                    key={a.id}
                    found={cellOf(cells, a, c)}
                    repeats={repeats}
                    label={`Case ${c.number}, arm ${a.letter}`}
                    current={keyed && at.row === item.index && at.arm === i}
                    onOpen={onOpen}
                  />
                ))}
              </div>
            )
          })}
        </div>
      </div>
    </section>
  )
}

function cellOf(cells: Cells, arm: Arm | undefined, c: Schemas['CellCase'] | undefined) {
  return arm && c ? cells.at.get(`${arm.position}:${c.revision}`) : undefined
}

function meanOf(found: CellOutput[] | undefined): number | null {
  const known = (found ?? []).flatMap((f) => (f.total === null ? [] : [f.total]))
  return known.length ? known.reduce((a, b) => a + b, 0) / known.length : null
}

type CellProps = {
  found: CellOutput[] | undefined
  repeats: number
  label: string
  current: boolean
  onOpen: (output: number) => void
}

function Cell({ found, repeats, label, current, onOpen }: CellProps) {
  const ring = current ? 'outline-2 outline-offset-0 outline-action' : ''
  if (!found || found.length === 0) {
    return (
      <span
        role="cell"
        aria-label={`${label}: nothing yet`}
        className={`h-5 border border-dotted border-rule ${ring}`}
      />
    )
  }
  const first = found[0] as CellOutput
  const mean = meanOf(found)
  const bad = found.find((f) => f.outcome !== 'answered')
  const words = bad ? bad.outcome : mean === null ? 'no score' : score(mean)
  const style = bad || mean === null ? undefined : rampColours(rampStep(mean))
  return (
    <span role="cell" className="h-5">
      <button
        type="button"
        tabIndex={-1}
        onClick={() => onOpen((bad ?? first).output)}
        aria-label={`${label}: ${words}`}
        title={found.length < repeats ? `${found.length} of ${repeats} repeats` : words}
        style={style}
        className={`block h-5 w-full text-center font-mono text-2xs leading-5 ${bad ? 'hatched border border-harm text-ink' : mean === null ? 'border border-rule text-soft' : ''} ${ring}`}
      >
        {bad ? (
          <span className="bg-paper px-0.5">
            {bad.outcome === 'answered' ? '' : bad.outcome.slice(0, 4)}
          </span>
        ) : mean === null ? (
          '–'
        ) : (
          score(mean)
        )}
      </button>
    </span>
  )
}

function Legend() {
  return (
    <span className="ml-auto flex items-center gap-2 text-xs text-soft">
      score 0
      <span className="flex" aria-hidden="true">
        {RAMP.map((colour) => (
          <span key={colour} className="block h-3 w-4" style={{ background: colour }} />
        ))}
      </span>
      1
      <span className="hatched ml-2 block h-3 w-4 border border-harm" aria-hidden="true" />
      no answer
    </span>
  )
}

function ordered(cells: Cells, arms: Arm[], order: Order): Schemas['CellCase'][] {
  if (order === 'dataset') return cells.cases
  if (order === 'arrival') return byArrival(cells)
  const weight = (c: Schemas['CellCase']) => {
    const means = arms.flatMap((a) => meanOf(cellOf(cells, a, c)) ?? [])
    if (means.length === 0) return order === 'worst' ? 2 : -1
    if (order === 'worst') return means.reduce((a, b) => a + b, 0) / means.length
    return Math.max(...means) - Math.min(...means)
  }
  const weights = new Map(cells.cases.map((c) => [c.revision, weight(c)]))
  const sign = order === 'worst' ? 1 : -1
  return [...cells.cases].sort(
    (a, b) =>
      sign * ((weights.get(a.revision) ?? 0) - (weights.get(b.revision) ?? 0)) ||
      a.number - b.number,
  )
}

/** Cases in the order in which their first answer came; those without one last, as in the dataset. */
function byArrival(cells: Cells): Schemas['CellCase'][] {
  const first = new Map<number, number>()
  for (const [key, found] of cells.at) {
    const revision = Number(key.split(':')[1])
    const least = Math.min(...found.map((f) => f.output))
    first.set(revision, Math.min(first.get(revision) ?? Infinity, least))
  }
  const place = (c: Schemas['CellCase']) => first.get(c.revision) ?? Infinity
  return [...cells.cases].sort((a, b) => {
    const [x, y] = [place(a), place(b)]
    return x === y ? a.number - b.number : x - y
  })
}
