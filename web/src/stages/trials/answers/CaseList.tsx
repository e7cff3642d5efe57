import { caseName, caseNameWidth } from '@/parts/caseName'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useRef } from 'react'
import type { Schemas } from '@/api/client'
import { score } from '@/parts/numbers'
import { ScoreChip } from '@/parts/ScoreChip'
import type { Cells } from '../useCells'
import type { Shown } from './selection'
import { outputAt, type Answers } from './useAnswers'

const ROW = 25

type Props = {
  trial: Schemas['TrialSummary']
  answers: Answers
  cells: Cells
}

/** The cases of the selection beside the open one, each with the scores of the answers shown. */
export function CaseList({ trial, answers, cells }: Props) {
  const { cases, open, shown } = answers
  const scroller = useRef<HTMLDivElement>(null)
  const rows = useVirtualizer({
    count: cases.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
  })
  const at = cases.findIndex((c) => c.revision === open?.revision)
  useEffect(() => {
    if (at >= 0) rows.scrollToIndex(at)
    // eslint-disable-next-line react-hooks/exhaustive-deps -- only where another case is opened
  }, [at])
  const template = `${caseNameWidth(cases)}px minmax(0,1fr) repeat(${Math.max(1, shown.length)}, 2.6rem)`
  return (
    <nav aria-label="Cases of this selection" className="flex min-h-0 flex-col">
      <div
        className="grid items-end gap-1 border-b border-rule-strong pb-1 text-xs"
        style={{ gridTemplateColumns: template }}
      >
        <span />
        <span className="font-semibold">Case</span>
        {shown.map((s, i) => {
          const arm = trial.arms.find((a) => a.id === s.arm)
          return (
            <span key={i} className="text-center" title={arm?.name}>
              <span className="block font-semibold">{i + 1}</span>
              <span className="block font-mono text-soft">{score(arm?.mean)}</span>
            </span>
          )
        })}
      </div>
      <div ref={scroller} className="min-h-0 flex-1 overflow-y-auto">
        <ol className="relative" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((item) => {
            const c = cases[item.index]
            if (!c) return null
            return (
              <li
                key={c.revision}
                className="absolute inset-x-0"
                style={{ height: ROW, transform: `translateY(${item.start}px)` }}
              >
                <button
                  type="button"
                  tabIndex={-1}
                  aria-current={c.revision === open?.revision ? 'true' : undefined}
                  onClick={() => answers.openCase(c)}
                  className="grid w-full items-center gap-1 py-0.5 text-left text-xs hover:bg-sheet aria-[current=true]:bg-wash-action"
                  style={{ gridTemplateColumns: template, height: ROW }}
                >
                  <span className="font-mono text-soft truncate" title={c.id || undefined}>
                    {caseName(c)}
                  </span>
                  <span className="truncate" title={c.text}>
                    {c.text}
                  </span>
                  {shown.map((s, i) => (
                    <CellScore key={i} trial={trial} cells={cells} revision={c.revision} one={s} />
                  ))}
                </button>
              </li>
            )
          })}
        </ol>
        {at < 0 && open && (
          <p className="py-2 text-xs text-soft">
            Case {caseName(open)} is open and not among these.
          </p>
        )}
      </div>
    </nav>
  )
}

function CellScore({
  trial,
  cells,
  revision,
  one,
}: {
  trial: Schemas['TrialSummary']
  cells: Cells
  revision: number
  one: Shown
}) {
  const found = outputAt(cells, trial, revision, one)
  if (!found) return <span className="h-4 border border-dotted border-rule" title="nothing yet" />
  if (found.outcome !== 'answered')
    return (
      <span
        className="hatched overflow-hidden border border-harm text-center font-mono text-2xs"
        title={found.outcome}
      >
        <span className="bg-paper">{found.outcome.slice(0, 4)}</span>
      </span>
    )
  return <ScoreChip value={found.total} />
}
