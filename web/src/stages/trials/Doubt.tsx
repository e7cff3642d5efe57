import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { settleOutcome, cellsQuery, outputQuery } from '@/api/trials'
import { KeyCaps } from '@/keys/KeyCaps'
import { useKeys } from '@/keys/useKeys'
import { Button, TextAction } from '@/parts/controls'
import { useTrialAction } from './HaltAndContinue'

type Output = Schemas['OutputShape']

/** What an answer only looks like, settled by one key; what was told for sure can be decided otherwise. */
export function Doubt({ output }: { output: Output }) {
  const { run, problem } = useTrialAction(output.trial)
  const cache = useQueryClient()
  const [answers, setAnswers] = useState<number | null>(null)
  const { id, suspected, trial } = output
  const decide = async (outcome: string) => {
    const done = await run(async () => {
      const made = await settleOutcome(id, { outcome })
      setAnswers(made.answers)
    })
    if (!done) return
    void cache.invalidateQueries({ queryKey: outputQuery(id).queryKey })
    void cache.invalidateQueries({ queryKey: cellsQuery(trial).queryKey })
  }
  useKeys(
    {
      'answer.answered': () => void decide('answered'),
      'answer.none': () => void decide(suspected),
    },
    suspected !== '',
  )
  return (
    <>
      {suspected && (
        <div className="mt-2 border-l-2 border-attention bg-wash-attention px-3 py-1.5 text-sm text-attention-text">
          <p>
            It looks <strong>{suspected}</strong>: {output.why}. It is scored as an answer until you
            say.
          </p>
          <p className="mt-1 flex flex-wrap gap-2">
            <Button small onClick={() => void decide('answered')}>
              It is an answer <KeyCaps of="answer.answered" />
            </Button>
            <Button small onClick={() => void decide(suspected)}>
              It is {suspected} <KeyCaps of="answer.none" />
            </Button>
          </p>
        </div>
      )}
      {!suspected && output.outcome !== 'answered' && (
        <p className="mt-1 text-xs text-soft">
          <TextAction light onClick={() => void decide('answered')}>
            It is an answer all the same
          </TextAction>
        </p>
      )}
      {answers !== null && (
        <p role="status" className="mt-1 text-xs text-soft">
          Decided{answers > 1 && `, for ${answers} identical answers`}; kept for the same answer
          later.
        </p>
      )}
      {problem !== null && <p className="text-xs text-harm">{inWords(problem)}</p>}
    </>
  )
}
