import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, dataOf, inWords, type Schemas } from '@/api/client'
import { Area, Button, ErrorLine, TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useFrame } from '../../BriefFrame'
import { AnswerView } from '../try/AnswerView'
import { AskedModel } from '../try/AskedModel'
import { useAsk } from '../try/useAsk'
import { ProposedClause, QuestionForm } from './QuestionForm'
import type { Proposed, Question, Questions } from './useQuestions'

type Props = { asking: Questions; take: (messages: Schemas['MessageShape'][]) => void }

const STATES = {
  open: 'open',
  answered: 'answered',
  skipped: 'skipped',
  indifferent: 'does not matter',
} as const

/** Every question, open or settled, and a model that asks what the rules cannot see. */
export function QuestionsSheet({ asking, take }: Props) {
  const { brief } = useFrame()
  const model = useAsk(brief.id, 'ask')
  const [proposed, setProposed] = useState<{ key: string; made: Proposed } | null>(null)
  const [reading, setReading] = useState(false)
  const [refused, setRefused] = useState<Schemas['WrittenRefusal'][] | null>(null)
  const [problem, setProblem] = useState<unknown>(null)
  const request = useQuery({
    queryKey: ['ask-questions', brief.id, asking.rows, asking.questions.map((q) => q.state)],
    queryFn: () =>
      dataOf(
        api.POST('/api/briefs/{brief_id}/ask-questions/', {
          params: { path: { brief_id: brief.id } },
          body: { messages: asking.rows },
        }),
      ),
    placeholderData: (former) => former,
  })
  const go = async () => {
    if (!request.data) return
    setProblem(null)
    setRefused(null)
    const result = await model.ask(request.data, { temperature: 0.2, max_tokens: 2000 })
    if (!result) return
    try {
      setRefused(await asking.read(result.text, model.modelName))
    } catch (error) {
      setProblem(error)
    }
  }
  const open = asking.questions.filter((q) => q.state === 'open')
  const settled = asking.questions.filter((q) => q.state !== 'open')
  return (
    <div className="grid gap-4">
      <p className="text-sm text-soft">
        An answer becomes a fact of the brief, told to every model that drafts, amends or writes
        cases, and a clause for you to take or leave.
      </p>
      <ul className="grid gap-3">
        {proposed && (
          <li className="border-l-2 border-action pl-3 font-serif">
            <ProposedClause
              proposed={proposed.made}
              take={(messages) => {
                take(messages)
                setProposed(null)
              }}
              leave={() => setProposed(null)}
            />
          </li>
        )}
        {open.map((q) => (
          <li key={q.key} className="border-l-2 border-inform pl-3 font-serif">
            {q.asked_by !== 'check' && (
              <p className="font-sans text-2xs text-soft">asked by {q.asked_by}</p>
            )}
            <QuestionForm
              question={q}
              settle={asking.settle}
              onProposed={(made) => setProposed({ key: q.key, made })}
            />
          </li>
        ))}
        {open.length === 0 && (
          <li className="text-sm text-soft">Nothing is open by rule. A model may see more.</li>
        )}
      </ul>
      {settled.length > 0 && (
        <Settled rows={settled} again={(q) => void asking.settle(q, 'open').catch(setProblem)} />
      )}
      <div className="grid gap-2 border-t border-rule pt-3">
        <div className="flex items-end gap-3">
          <AskedModel label="A model asks" asking={model} />
          <Button
            disabled={model.running || model.chosen === null || !request.data}
            onClick={() => void go()}
          >
            Ask what is open
          </Button>
          {model.running && (
            <Button kind="harm" onClick={model.stop}>
              Stop
            </Button>
          )}
        </div>
        <TextAction
          light
          className="justify-self-start text-sm"
          onClick={() => setReading(!reading)}
        >
          {reading ? 'Hide what it is told' : 'Read or change what it is told…'}
        </TextAction>
        {reading && request.data && (
          <Area
            label="Instruction"
            rows={8}
            className="[&_textarea]:font-serif"
            value={model.told(request.data)}
            onChange={(e) => model.setInstruction(e.target.value)}
          />
        )}
        {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
        {refused !== null && refused.length > 0 && (
          <p className="text-sm text-soft">
            {plural(refused.length, 'question')} left out: {refused[0]?.reason}.
          </p>
        )}
        {refused?.length === 0 && (
          <p className="text-sm text-soft" role="status">
            Its questions stand above.
          </p>
        )}
        {model.answer && refused === null && <AnswerView answer={model.answer} />}
      </div>
    </div>
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
