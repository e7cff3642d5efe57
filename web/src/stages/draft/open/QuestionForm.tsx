import { inWords } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { Button, TextAction } from '@/parts/controls'
import { forgetTyped, useTyped } from '@/parts/typed'
import type { Proposed, Question, Questions } from './useQuestions'

type Props = {
  question: Question
  settle: Questions['settle']
  /** What the answer changes in the text, and what it was changed for. */
  onProposed: (proposed: Proposed, reason: string) => void
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
      if (proposed) onProposed(proposed, `${question.text} ${text.trim()}`)
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
        <Button
          small
          type="submit"
          className="h-7! font-sans"
          disabled={busy}
          lacks={[!answer.trim() && 'no answer is typed']}
        >
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

type PutProps = {
  proposed: Proposed
  /** Whether it is the last thing that was done to the text. */
  isLast: boolean
  onUndo: () => void
}

/** What an answer has put into the text. */
export function PutIn({ proposed, isLast, onUndo }: PutProps) {
  return (
    <p className="mb-1 border-l-2 border-action pl-2">
      <span className="font-sans text-xs text-soft">
        {proposed.clause === 0 ? 'Put in before § 1' : `Put in after § ${proposed.clause}`}, and a
        fact of the brief:{' '}
      </span>
      <ins className="font-semibold text-action no-underline">{proposed.text}</ins>{' '}
      {isLast && (
        <TextAction light className="font-sans text-xs" onClick={onUndo}>
          Undo this change
        </TextAction>
      )}
    </p>
  )
}

/** The others wait: they can be asked again. */
export function Enough({ asking }: { asking: Questions }) {
  const { write, pending } = useWrite()
  const open = asking.questions.filter((q) => q.state === 'open')
  if (open.length === 0) return null
  return (
    <TextAction
      light
      className="font-sans text-xs font-normal"
      disabled={pending}
      title="the other questions wait; they can be opened again"
      onClick={() =>
        void write(async () => {
          for (const q of open) await asking.settle(q, 'skipped')
        })
      }
    >
      Enough
    </TextAction>
  )
}
