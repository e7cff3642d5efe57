import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { ConsultationPanel } from '@/parts/consult/ConsultationPanel'
import { useConsultation } from '@/parts/consult/useConsultation'
import { Button, ErrorLine, TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useFrame } from '../../frame'
import { EarnedElsewhere } from './EarnedElsewhere'
import { Enough, PutIn, QuestionForm } from './QuestionForm'
import { usePutIn } from './usePutIn'
import type { Question, Questions } from './useQuestions'
import type { Take } from '../useDraft'

type Props = { asking: Questions; take: Take }

const STATES = {
  open: 'open',
  answered: 'answered',
  skipped: 'later',
  indifferent: 'any is fine',
} as const

/** Every question, open or settled, and a model that asks what the rules cannot see. */
export function QuestionsSheet({ asking, take }: Props) {
  const { brief } = useFrame()
  const consulting = useConsultation(
    'questions',
    { brief: brief.id, messages: asking.rows },
    brief.id,
  )
  const { put, isLast, onProposed, onUndo } = usePutIn(asking, take)
  const { write, problem } = useWrite()
  const open = asking.questions.filter((q) => q.state === 'open')
  const settled = asking.questions.filter((q) => q.state !== 'open')
  return (
    <div className="grid gap-4">
      <p className="text-sm text-soft">
        An answer becomes a fact of the brief, told to every model that drafts, amends or writes
        cases, and stands in the text at once. <Enough asking={asking} />
      </p>
      <ul className="grid gap-3">
        {put && (
          <li className="font-serif">
            <PutIn proposed={put} isLast={isLast} onUndo={onUndo} />
          </li>
        )}
        {open.map((q) => (
          <li key={q.key} className="border-l-2 border-inform pl-3 font-serif">
            {q.asked_by !== 'check' && (
              <p className="font-sans text-2xs text-soft">asked by {q.asked_by}</p>
            )}
            <QuestionForm question={q} settle={asking.settle} onProposed={onProposed} />
          </li>
        ))}
        {open.length === 0 && (
          <li className="text-sm text-soft">Nothing is open by rule. A model may see more.</li>
        )}
      </ul>
      {settled.length > 0 && (
        <Settled rows={settled} again={(q) => void write(() => asking.settle(q, 'open'))} />
      )}
      <EarnedElsewhere
        messages={asking.rows}
        act={(line) => (
          <Button
            small
            onClick={() =>
              take(
                withLine(asking.rows, line.text),
                `helped in ${line.brief_name}, v${line.version}`,
              )
            }
          >
            Add it
          </Button>
        )}
      />
      <div className="border-t border-rule pt-3">
        <ConsultationPanel consulting={consulting} who="A model asks" action="Ask what is open">
          {(reading, found) => (
            <Taken
              questions={reading.questions ?? []}
              keep={async (places) => {
                await consulting.close(found.id, 'taken', places)
                asking.refresh()
              }}
            />
          )}
        </ConsultationPanel>
      </div>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
    </div>
  )
}

/** The line at the end of the first message that says what to do. */
function withLine(rows: Questions['rows'], text: string): Questions['rows'] {
  const at = Math.max(
    0,
    rows.findIndex((m) => m.role === 'system'),
  )
  return rows.map((m, i) => (i === at ? { ...m, content: `${m.content.trimEnd()}\n${text}` } : m))
}

function Taken({
  questions,
  keep,
}: {
  questions: Schemas['AskedQuestionShape'][]
  keep: (places: number[]) => Promise<void>
}) {
  const [left, setLeft] = useState<number[]>([])
  const places = questions.map((_, i) => i + 1).filter((n) => !left.includes(n))
  return (
    <>
      <ul className="grid gap-1">
        {questions.map((q, i) => (
          <li key={i} className="grid grid-cols-[auto_minmax(0,1fr)] items-baseline gap-2">
            <input
              type="checkbox"
              aria-label={`Keep: ${q.text}`}
              checked={!left.includes(i + 1)}
              onChange={(e) =>
                setLeft(e.target.checked ? left.filter((n) => n !== i + 1) : [...left, i + 1])
              }
            />
            <span>
              <span className="font-serif">{q.text}</span>{' '}
              <span className="text-xs text-soft">{q.why}</span>
            </span>
          </li>
        ))}
      </ul>
      <div>
        <Button
          kind="main"
          lacks={[places.length === 0 && 'none is ticked']}
          onClick={() => void keep(places)}
        >
          Keep {plural(places.length, 'question')} open
        </Button>
      </div>
    </>
  )
}

function Settled({ rows, again }: { rows: Question[]; again: (q: Question) => void }) {
  return (
    <div>
      <h3 className="mb-1 text-sm font-semibold">Settled</h3>
      <ul className="grid gap-1 text-sm">
        {rows.map((q) => (
          <li key={q.key} className="border-b border-rule pb-1">
            {q.text}{' '}
            <span className="font-semibold">
              {q.state === 'answered' ? q.answer : STATES[q.state]}
            </span>{' '}
            <TextAction light className="text-xs" onClick={() => again(q)}>
              Open it again
            </TextAction>
          </li>
        ))}
      </ul>
    </div>
  )
}
