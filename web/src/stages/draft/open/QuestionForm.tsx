import { inWords, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { Button, TextAction } from '@/parts/controls'
import { forgetTyped, useTyped } from '@/parts/typed'
import type { Proposed, Question, Questions } from './useQuestions'

type Props = {
  question: Question
  settle: Questions['settle']
  onProposed: (proposed: Proposed) => void
}

/** One open question: quick answers, a field for another one, and two ways past it. */
export function QuestionForm({ question, settle, onProposed }: Props) {
  const place = `question ${question.key}`
  const [answer, setAnswer] = useTyped(place, '')
  const { write, pending: busy, problem } = useWrite()
  const give = (state: Question['state'], text = '') =>
    write(async () => {
      const proposed = await settle(question, state, text)
      setAnswer('')
      forgetTyped(place)
      if (proposed) onProposed(proposed)
    })
  return (
    <div>
      <p>{question.text}</p>
      {question.why && <p className="font-sans text-xs text-soft">{question.why}</p>}
      <div className="mt-1 flex flex-wrap gap-1">
        {question.answers.map((a) => (
          <button
            key={a}
            type="button"
            disabled={busy}
            className="rounded-sm border border-rule-strong bg-sheet px-1.5 py-0.5 text-left font-sans text-xs hover:border-ink"
            onClick={() => void give('answered', a)}
          >
            {a}
          </button>
        ))}
      </div>
      <form
        className="mt-1 flex gap-1"
        onSubmit={(e) => {
          e.preventDefault()
          void give('answered', answer)
        }}
      >
        <input
          aria-label={question.text}
          placeholder="another answer"
          className="h-7 min-w-0 flex-1 rounded-sm border border-rule-strong bg-sheet px-1.5 font-sans text-xs"
          value={answer}
          onChange={(e) => setAnswer(e.target.value)}
        />
        <Button small type="submit" className="h-7! font-sans" disabled={busy || !answer.trim()}>
          Answer
        </Button>
      </form>
      <p className="mt-1 flex gap-3 font-sans text-xs">
        <TextAction light disabled={busy} onClick={() => void give('skipped')}>
          Later
        </TextAction>
        <TextAction light disabled={busy} onClick={() => void give('indifferent')}>
          Any is fine
        </TextAction>
      </p>
      {problem !== null && (
        <p role="alert" className="font-sans text-xs text-harm">
          {inWords(problem)}
        </p>
      )}
    </div>
  )
}

type ProposedProps = {
  proposed: Proposed
  take: (messages: Schemas['MessageShape'][]) => void
  leave: () => void
}

/** What an answer would add to the text: taken or left. */
export function ProposedClause({ proposed, take, leave }: ProposedProps) {
  return (
    <>
      <p className="font-sans text-xs text-soft">
        It is a fact of the brief now.{' '}
        {proposed.clause === 0 ? 'To be added before §1' : `To be added after §${proposed.clause}`}:
      </p>
      <ins className="font-semibold text-action no-underline">{proposed.text}</ins>
      <p className="mt-1 flex gap-2">
        <Button small kind="main" className="font-sans" onClick={() => take(proposed.messages)}>
          Take it
        </Button>
        <Button small className="font-sans" onClick={leave}>
          Leave it
        </Button>
      </p>
    </>
  )
}
