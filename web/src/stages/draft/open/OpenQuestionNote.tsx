import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { Note } from '@/parts/Margin'
import { TextAction } from '@/parts/controls'
import { ProposedClause, QuestionForm } from './QuestionForm'
import type { Proposed, Questions } from './useQuestions'

type Props = {
  asking: Questions
  take: (messages: Schemas['MessageShape'][]) => void
  onAll: () => void
}

/** The first of the open questions, in the margin: one at a time, so that it never crowds out the rest. */
export function OpenQuestionNote({ asking, take, onAll }: Props) {
  const [proposed, setProposed] = useState<Proposed | null>(null)
  const open = asking.questions.filter((q) => q.state === 'open')
  const first = open[0]
  const all = (
    <TextAction light className="font-sans text-xs font-normal" onClick={onAll}>
      {open.length > 1 ? `all ${open.length}…` : 'all…'}
    </TextAction>
  )
  if (proposed) {
    return (
      <Note tone="action" title="Answered">
        <ProposedClause
          proposed={proposed}
          take={(messages) => {
            take(messages)
            setProposed(null)
          }}
          leave={() => setProposed(null)}
        />
      </Note>
    )
  }
  if (!first) return <Note title="Nothing is left open">By rule, that is. {all}</Note>
  return (
    <Note tone="inform" title={<span className="flex justify-between">Not yet decided {all}</span>}>
      <QuestionForm
        key={first.key}
        question={first}
        settle={asking.settle}
        onProposed={setProposed}
      />
    </Note>
  )
}
