import { Note } from '@/parts/Margin'
import { TextAction } from '@/parts/controls'
import type { Take } from '../useDraft'
import { Enough, PutIn, QuestionForm } from './QuestionForm'
import { usePutIn } from './usePutIn'
import type { Questions } from './useQuestions'

type Props = {
  asking: Questions
  take: Take
  onAll: () => void
}

/** The first of the open questions, in the margin: one at a time, so that it never crowds out the rest. */
export function OpenQuestionNote({ asking, take, onAll }: Props) {
  const { put, isLast, onProposed, onUndo } = usePutIn(asking, take)
  const open = asking.questions.filter((q) => q.state === 'open')
  const first = open[0]
  const all = (
    <span className="flex gap-3">
      <Enough asking={asking} />
      <TextAction light className="font-sans text-xs font-normal" onClick={onAll}>
        {open.length > 1 ? `all ${open.length}…` : 'all…'}
      </TextAction>
    </span>
  )
  const answered = put && <PutIn proposed={put} isLast={isLast} onUndo={onUndo} />
  if (!first)
    return (
      <Note title="Nothing is left open">
        {answered}
        By rule, that is. {all}
      </Note>
    )
  return (
    <Note tone="inform" title={<span className="flex justify-between">Not yet decided {all}</span>}>
      {answered}
      <QuestionForm
        key={first.key}
        question={first}
        settle={asking.settle}
        onProposed={onProposed}
      />
    </Note>
  )
}
