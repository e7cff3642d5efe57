import { caseName, caseNameWidth } from '@/parts/caseName'
import { useVirtualizer } from '@tanstack/react-virtual'
import { memo, useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { useSearchParams } from 'react-router'
import type { Schemas } from '@/api/client'
import { useKeys } from '@/keys/useKeys'
import { Chooser } from '@/parts/Chooser'
import { TextAction } from '@/parts/controls'
import { rampStep, score } from '@/parts/numbers'
import { RAMP, rampColours } from '@/parts/ramp'
import type { Answers } from './answers/useAnswers'
import { rowsOf, stepped, type Grouping, type MatrixRow } from './matrixRows'
import { useArms } from './useArms'
import type { CellOutput, Cells } from './useCells'

type Arm = Schemas['ArmOnBoard']
type Props = {
  trial: Schemas['TrialSummary']
  cells: Cells
  answers: Answers
  paused: boolean
}

const ROW = 23
const COLUMN = 44
// Of the number and the text of a case.
const HEAD = 230
// Of it the column of names, where these are numbers.
const LEAST_NAMED = 35
// More arms than these have columns of one width, and only those in sight are drawn.
const FEW_ARMS = 12

/** Cases × arms of the selection, filling in as answers arrive; every cell opens its answers. */
export function Matrix({ trial, cells, answers, paused }: Props) {
  const { cases, selection } = answers
  const table = useArms(trial)
  // As the table of arms has them; while it runs a column keeps its place, unless an order was asked for.
  const arms = trial.state === 'complete' || table.asked ? table.order(answers.arms) : answers.arms
  const group = useGrouping()
  const listed = useMemo(
    () => rowsOf(cases, group.by, group.folded),
    [cases, group.by, group.folded],
  )
  const { repeats } = trial
  const [at, setAt] = useState({ row: 0, arm: 0 })
  const [keyed, setKeyed] = useState(false)
  const scroller = useRef<HTMLDivElement>(null)
  const rows = useVirtualizer({
    count: listed.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 4,
  })
  const fast = useFast(rows.scrollOffset ?? 0, rows.isScrolling)
  const many = arms.length > FEW_ARMS
  // Where there are many arms, only those in sight are drawn.
  const columns = useVirtualizer({
    horizontal: true,
    enabled: many,
    count: arms.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => COLUMN,
    overscan: 4,
    scrollMargin: HEAD,
  })
  const shown = useSame(
    many ? columns.getVirtualItems().map((c) => c.index) : arms.map((_, i) => i),
  )

  const openCell = useOpening(answers)
  const move = (down: number, right: number) => {
    setKeyed(true)
    // Enter is the grid's from here on, whatever was pressed before.
    scroller.current?.focus({ preventScroll: true })
    const row = stepped(listed, at.row, down)
    setAt({ row, arm: Math.min(Math.max(at.arm + right, 0), arms.length - 1) })
    rows.scrollToIndex(row)
    if (many) columns.scrollToIndex(Math.min(Math.max(at.arm + right, 0), arms.length - 1))
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
        const row = listed[stepped(listed, at.row, 0)]
        const arm = arms[at.arm]
        if (row?.kind === 'case' && arm) answers.openCase(row.case, { arm: arm.id, repeat: 0 })
        return true
      },
      'board.worst': () =>
        answers.setSelection({ order: selection.order === 'worst' ? 'dataset' : 'worst' }),
    },
    !paused,
  )

  const named = useMemo(() => caseNameWidth(cases), [cases])
  const template = many
    ? `${named}px ${HEAD - LEAST_NAMED}px ${shown.length ? `${(shown[0] ?? 0) * COLUMN}px ` : ''}repeat(${shown.length}, ${COLUMN - 2}px)`
    : `${named}px minmax(7rem, 1fr) repeat(${arms.length}, minmax(2.3rem, ${arms.length > 8 ? 2.75 : 3.6}rem))`
  const minWidth = many
    ? HEAD + named - LEAST_NAMED + arms.length * COLUMN
    : 125 + named + arms.length * 39
  // What stays in place covers the whole height of its row.
  const fixed = many ? 'sticky bg-paper z-[1] self-stretch leading-[1.4rem]' : ''
  return (
    <section className="mt-2" aria-label="Cases by arms">
      <div className="flex items-center gap-4">
        <GroupChoice group={group} />
        <p className="text-xs text-soft">
          {repeats > 1 ? `Each cell is the mean of up to ${repeats} repeats. ` : ''}
          {many && `${arms.length} arms: scroll to the side for the others.`}
        </p>
        <Legend />
      </div>
      {cases.length === 0 && answers.found && (
        <p className="py-4 text-sm text-soft">
          No case is like that. Ask for less in the sentence above.
        </p>
      )}
      {/* A scrolling region must be reachable by keyboard. */}
      <div
        ref={scroller}
        tabIndex={0}
        role="table"
        aria-label="Scores of every case by every arm"
        aria-rowcount={listed.length}
        className="mt-1 max-h-[calc(100dvh-14rem)] min-h-40 overflow-auto border-b border-rule"
        style={{ '--named': `${named}px` } as React.CSSProperties}
      >
        <MatrixHead
          arms={arms}
          shown={shown}
          many={many}
          fixed={fixed}
          style={{ gridTemplateColumns: template, minWidth }}
        />
        <div role="rowgroup" className="relative" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((item) => {
            const row = listed[item.index]
            if (!row) return null
            const place = { gridTemplateColumns: template, minWidth, height: ROW }
            if (row.kind === 'group')
              return (
                <GroupRow
                  key={item.index}
                  row={row}
                  style={{ ...place, transform: `translateY(${item.start}px)` }}
                  {...{ cells, arms, shown, many, fixed }}
                  folded={group.folded.has(row.name)}
                  onFold={() => group.fold(row.name)}
                />
              )
            return (
              <CaseRow
                key={group.by ? item.index : row.case.revision}
                c={row.case}
                {...{ cells, arms, shown, many, fixed, repeats, template, minWidth }}
                quick={many && fast}
                start={item.start}
                current={keyed && at.row === item.index ? at.arm : null}
                onOpen={openCell}
              />
            )
          })}
        </div>
      </div>
    </section>
  )
}

type HeadProps = {
  arms: Arm[]
  shown: number[]
  many: boolean
  fixed: string
  style: React.CSSProperties
}

/** The arms' letters, which stay in sight. */
function MatrixHead({ arms, shown, many, fixed, style }: HeadProps) {
  return (
    <div role="rowgroup" className="sticky top-0 z-[2] bg-paper">
      <div role="row" className="grid gap-0.5 pb-0.5 text-xs text-soft" style={style}>
        <span role="columnheader" className={`${fixed} left-0`}>
          <span className="sr-only">Number</span>
        </span>
        <span role="columnheader" className={`${fixed} left-(--named)`}>
          <span className="sr-only">Case</span>
        </span>
        {many && shown.length > 0 && <span />}
        {shown.map((i) => {
          const a = arms[i]
          return a ? (
            <span
              key={a.id}
              role="columnheader"
              className="overflow-hidden text-center font-mono"
              title={`${a.letter}: ${a.name} (${a.in_words}, ${a.settings_short})`}
            >
              {a.letter}
            </span>
          ) : null
        })}
      </div>
    </div>
  )
}

const GROUPINGS: Record<Grouping, string> = {
  '': 'not grouped',
  tag: 'grouped by tag',
  label: 'grouped by wanted answer',
}

/** How the rows are grouped, which stands in the address, and which groups are folded away. */
function useGrouping() {
  const [search, setSearch] = useSearchParams()
  const told = search.get('group') ?? ''
  const by: Grouping = told === 'tag' || told === 'label' ? told : ''
  const [folded, setFolded] = useState<Set<string>>(new Set())
  const choose = (next: Grouping) => {
    setFolded(new Set())
    setSearch(
      (now) => {
        if (next) now.set('group', next)
        else now.delete('group')
        return now
      },
      { replace: true },
    )
  }
  const fold = (name: string) => {
    const next = new Set(folded)
    if (!next.delete(name)) next.add(name)
    setFolded(next)
  }
  return { by, choose, folded, fold }
}

function GroupChoice({ group }: { group: ReturnType<typeof useGrouping> }) {
  return (
    <span className="text-xs">
      <Chooser label="Grouping of the cases" words={GROUPINGS[group.by]}>
        {(close) => (
          <div className="grid gap-1">
            {Object.entries(GROUPINGS).map(([key, words]) => (
              <TextAction
                key={key}
                light
                aria-pressed={group.by === key}
                className="text-left"
                onClick={() => {
                  group.choose(key as Grouping)
                  close()
                }}
              >
                {words}
              </TextAction>
            ))}
          </div>
        )}
      </Chooser>
    </span>
  )
}

type GroupProps = {
  row: Extract<MatrixRow, { kind: 'group' }>
  style: React.CSSProperties
  cells: Cells
  arms: Arm[]
  shown: number[]
  many: boolean
  fixed: string
  folded: boolean
  onFold: () => void
}

/** The head of a group: how many cases, and the mean of each arm over those that have a score. */
function GroupRow({ row, style, cells, arms, shown, many, fixed, folded, onFold }: GroupProps) {
  const meanOfArm = (arm: Arm | undefined) => {
    const known = row.cases.flatMap((c) => meanOf(cellOf(cells, arm, c)) ?? [])
    return known.length ? known.reduce((a, b) => a + b, 0) / known.length : null
  }
  return (
    <div
      role="row"
      className="absolute left-0 grid w-full items-center gap-0.5 border-t border-rule-strong bg-sheet"
      style={style}
    >
      <span
        role="rowheader"
        className={`${fixed} left-0 pr-1 text-right font-mono text-xs text-soft`}
      >
        {row.cases.length}
      </span>
      <span role="cell" className={`${fixed} left-(--named) truncate pr-2 text-xs font-semibold`}>
        <button
          type="button"
          aria-expanded={!folded}
          className="max-w-full truncate text-left hover:underline"
          title={`${row.name}, ${row.cases.length} cases: press to ${folded ? 'open' : 'fold away'}`}
          onClick={onFold}
        >
          <span aria-hidden>{folded ? '▸ ' : '▾ '}</span>
          {row.name}
        </button>
      </span>
      {many && shown.length > 0 && <span />}
      {shown.map((i) => {
        const mean = meanOfArm(arms[i])
        return (
          <span
            key={i}
            role="cell"
            title={`mean of ${row.name} by ${arms[i]?.name}`}
            className="h-5 border-b-2 border-ink text-center font-mono text-2xs leading-5 font-semibold"
            style={mean === null ? undefined : rampColours(rampStep(mean))}
          >
            {mean === null ? '–' : score(mean)}
          </span>
        )
      })}
    </div>
  )
}

function cellOf(cells: Cells, arm: Arm | undefined, c: Schemas['CellCase'] | undefined) {
  return arm && c ? cells.at.get(`${arm.position}:${c.revision}`) : undefined
}

function meanOf(found: CellOutput[] | undefined): number | null {
  const known = (found ?? []).flatMap((f) => (f.total === null ? [] : [f.total]))
  return known.length ? known.reduce((a, b) => a + b, 0) / known.length : null
}

// Faster than so many pixels between two pictures nobody reads a number.
const FAST = 4 * ROW

/** Whether the rows run past faster than they are read; false again as soon as they stand. */
function useFast(offset: number, scrolling: boolean): boolean {
  const [former, setFormer] = useState({ offset, fast: false })
  if (former.offset === offset && (scrolling || !former.fast)) return former.fast
  const fast = scrolling && Math.abs(offset - former.offset) > FAST
  setFormer({ offset, fast })
  return fast
}

/** The former list as long as it holds the same: what is drawn from it stays as it is. */
function useSame<T>(now: T[]): T[] {
  const [former, setFormer] = useState(now)
  if (former.length === now.length && former.every((x, i) => x === now[i])) return former
  setFormer(now)
  return now
}

/** The same function at every drawing, so that cells that stay as they are are not drawn again. */
function useOpening(answers: Answers) {
  const latest = useRef(answers.openCase)
  useEffect(() => {
    latest.current = answers.openCase
  })
  return useCallback(
    (c: Schemas['CellCase'], arm: number, repeat: number) => latest.current(c, { arm, repeat }),
    [],
  )
}

type CaseRowProps = {
  c: Schemas['CellCase']
  cells: Cells
  arms: Arm[]
  shown: number[]
  many: boolean
  fixed: string
  repeats: number
  template: string
  minWidth: number
  /** Drawn as one band of colours until the rows stand: of many arms each cell takes its time. */
  quick: boolean
  start: number
  /** The arm whose cell the keys stand on. */
  current: number | null
  onOpen: (c: Schemas['CellCase'], arm: number, repeat: number) => void
}

/** One case by every arm in sight; drawn anew only where something of it changed. */
const CaseRow = memo(function CaseRow(props: CaseRowProps) {
  const { c, cells, arms, shown, many, fixed, repeats, template, minWidth, start } = props
  // What is drawn whole stays whole.
  const [whole, setWhole] = useState(!props.quick)
  if (!whole && !props.quick) setWhole(true)
  return (
    <div
      role="row"
      className="absolute left-0 grid w-full items-center gap-0.5"
      style={{
        gridTemplateColumns: template,
        minWidth,
        height: ROW,
        transform: `translateY(${start}px)`,
      }}
    >
      <span
        role="rowheader"
        title={c.id || undefined}
        className={`${fixed} left-0 truncate pr-1 font-mono text-xs text-soft`}
      >
        {caseName(c)}
      </span>
      <span role="cell" className={`${fixed} left-(--named) truncate pr-2 text-xs`} title={c.text}>
        {c.text}
      </span>
      {many && shown.length > 0 && <span />}
      {!whole && (
        <span
          role="cell"
          aria-label={`Case ${caseName(c)}: scores follow when the rows stand`}
          className="h-5"
          style={{
            gridColumn: `span ${shown.length}`,
            backgroundImage: bandOf(cells, arms, shown, c),
          }}
        />
      )}
      {(whole ? shown : NOTHING).map((i) => {
        const a = arms[i]
        return a ? (
          <Cell
            key={a.id}
            found={cellOf(cells, a, c)}
            repeats={repeats}
            c={c}
            arm={a}
            current={props.current === i}
            onOpen={props.onOpen}
          />
        ) : null
      })}
    </div>
  )
})

const NOTHING: number[] = []

/** The colours of a row's cells as one picture. */
function bandOf(cells: Cells, arms: Arm[], shown: number[], c: Schemas['CellCase']): string {
  const stops = shown.map((i, place) => {
    const mean = meanOf(cellOf(cells, arms[i], c))
    const colour = mean === null ? 'transparent' : (RAMP[rampStep(mean)] ?? 'transparent')
    const left = place * COLUMN
    const right = left + COLUMN - 2
    return `${colour} ${left}px ${right}px, transparent ${right}px ${right + 2}px`
  })
  return `linear-gradient(to right, ${stops.join(', ')})`
}

type CellProps = {
  found: CellOutput[] | undefined
  repeats: number
  c: Schemas['CellCase']
  arm: Arm
  current: boolean
  onOpen: (c: Schemas['CellCase'], arm: number, repeat: number) => void
}

const Cell = memo(function Cell({ found, repeats, c, arm, current, onOpen }: CellProps) {
  const label = `Case ${caseName(c)}, arm ${arm.letter}`
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
        onClick={() => onOpen(c, arm.id, (bad ?? first).repeat)}
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
})

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
