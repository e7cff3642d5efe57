import { useState } from 'react'
import { Link } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { useTrial } from '@/api/trials'
import { Empty, ErrorLine, Waiting } from '@/parts/controls'
import { Overlay } from '@/parts/overlay'
import { useFrame } from '../frame'
import { StageGrid } from '../StageGrid'
import { AnswerMargin } from './answers/AnswerMargin'
import { CaseList } from './answers/CaseList'
import { OpenCase } from './answers/OpenCase'
import { SelectionSentence } from './answers/SelectionSentence'
import { useAnswers, type Answers } from './answers/useAnswers'
import { useOpenCase } from './answers/useOpenCase'
import { useOutputAsked } from './answers/useOutputAsked'
import { ArmsTable } from './ArmsTable'
import { BoardHead } from './BoardHead'
import { BoardMargin } from './BoardMargin'
import { Matrix } from './Matrix'
import { OutputView } from './OutputView'
import { Standing } from './Standing'
import { useCells, type Cells } from './useCells'

type Trial = Schemas['TrialSummary']

/** A trial's board: arms with their figures, every case by every arm, and any answers of a case side by side. */
export function Board({ trialId }: { trialId: number }) {
  const { brief } = useFrame()
  const trial = useTrial(trialId)
  const open = trial.data?.state === 'running' || trial.data?.state === 'queued'
  const { cells, error } = useCells(trialId, open)
  if (trial.isPending)
    return (
      <div className="px-6">
        <Waiting what="the trial" />
      </div>
    )
  if (trial.isLoadingError)
    return (
      <div className="p-6">
        <ErrorLine>{inWords(trial.error)}</ErrorLine>
      </div>
    )
  const t = trial.data
  if (t.brief !== brief.id) {
    return (
      <div className="px-6">
        <Empty title="This trial belongs to another brief.">
          It is read{' '}
          <Link
            className="font-semibold text-action underline"
            to={`/briefs/${t.brief}/trials/${t.id}`}
          >
            where it was run
          </Link>
          , or see{' '}
          <Link className="font-semibold text-action underline" to={`/briefs/${brief.id}/trials`}>
            the trials of this brief
          </Link>
          .
        </Empty>
      </div>
    )
  }
  return <Laid trial={t} cells={cells} error={error} />
}

function Laid({ trial, cells, error }: { trial: Trial; cells: Cells | null; error: unknown }) {
  const answers = useAnswers(trial, cells)
  // Of an answer that was replaced: it stands in no cell any more.
  const [former, setFormer] = useState<number | null>(null)
  const openById = useOutputAsked(trial, cells, answers, setFormer)
  const running = trial.state === 'running' || trial.state === 'queued'
  const tags = [...new Set((cells?.cases ?? []).flatMap((c) => c.tags))].sort()
  const labels = labelsOf(cells)
  const head = (
    <BoardHead
      trial={trial}
      done={Math.max(trial.done, cells?.done ?? 0)}
      onOutput={openById}
      onSelect={answers.setSelection}
    />
  )
  const sentence = <SelectionSentence trial={trial} answers={answers} tags={tags} labels={labels} />
  const replaced = (
    <Overlay
      open={former !== null}
      onOpenChange={(o) => !o && setFormer(null)}
      title="Answer"
      side
      hideTitle
    >
      {former !== null && (
        <OutputView
          id={former}
          close={() => setFormer(null)}
          onOther={setFormer}
          resting={!running}
        />
      )}
    </Overlay>
  )
  if (answers.open && cells)
    return (
      <Opened
        trial={trial}
        answers={answers}
        cells={cells}
        head={head}
        sentence={sentence}
        onOutput={openById}
      >
        {replaced}
      </Opened>
    )
  return (
    <StageGrid margin={<BoardMargin trial={trial} onOpen={openById} />}>
      {head}
      <Standing trial={trial} />
      {answers.missing !== null && (
        <ErrorLine>
          Case {answers.missing} is not among this trial’s cases.{' '}
          <button type="button" className="underline" onClick={answers.close}>
            See the cases there are
          </button>
        </ErrorLine>
      )}
      {sentence}
      <ArmsTable
        trial={trial}
        chosen={answers.selection.arms}
        onArms={(arms) => answers.setSelection({ arms })}
      />
      {error !== null && <ErrorLine>{inWords(error)}</ErrorLine>}
      {cells && <Matrix trial={trial} cells={cells} answers={answers} paused={former !== null} />}
      {replaced}
    </StageGrid>
  )
}

type OpenedProps = {
  trial: Trial
  answers: Answers
  cells: Cells
  head: React.ReactNode
  sentence: React.ReactNode
  onOutput: (id: number) => void
  children: React.ReactNode
}

/** A case is open: the selection as a list, its answers in the middle, what is said of one in the margin. */
function Opened({ trial, answers, cells, head, sentence, onOutput, children }: OpenedProps) {
  const state = useOpenCase(trial, answers, cells)
  return (
    <StageGrid full margin={<AnswerMargin trial={trial} answers={answers} state={state} />}>
      {head}
      <Standing trial={trial} />
      {sentence}
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(11rem,18.75rem)_minmax(0,1fr)] max-[760px]:grid-cols-1">
        <div className="flex min-h-0 flex-col border-r border-rule pr-3 max-[760px]:hidden">
          <CaseList trial={trial} answers={answers} cells={cells} />
          <button
            type="button"
            className="shrink-0 pt-2 text-left text-xs text-action underline"
            onClick={answers.close}
          >
            All arms, all of these cases · Esc
          </button>
        </div>
        <div className="min-h-0 overflow-y-auto pb-6 pl-4 max-[760px]:pl-0">
          <OpenCase trial={trial} answers={answers} state={state} onOutput={onOutput} />
        </div>
      </div>
      {children}
    </StageGrid>
  )
}

const MOST_LABELS = 40

/** References short and few enough to be labels. */
function labelsOf(cells: Cells | null): string[] {
  const found = [...new Set((cells?.cases ?? []).map((c) => c.label))].filter(Boolean).sort()
  return found.length <= MOST_LABELS ? found : []
}
