import { useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { settleOutcome, cellsQuery, outputQuery } from '@/api/trials'
import { Button, Key, TextAction } from '@/parts/controls'
import { useTrialAction } from './HaltAndContinue'

type Output = Schemas['OutputShape']

/** What an answer only looks like, settled by one key; what was told for sure can be decided otherwise. */
export function Doubt({ output }: { output: Output }) {
  const { run, problem } = useTrialAction(output.trial)
  const cache = useQueryClient()
  const [answers, setAnswers] = useState<number | null>(null)
  const { id, suspected, trial } = output
  const decide = useCallback(
    async (outcome: string) => {
      const done = await run(async () => {
        const made = await settleOutcome(id, { outcome })
        setAnswers(made.answers)
      })
      if (!done) return
      void cache.invalidateQueries({ queryKey: outputQuery(id).queryKey })
      void cache.invalidateQueries({ queryKey: cellsQuery(trial).queryKey })
    },
    [run, cache, id, trial],
  )
  useEffect(() => {
    if (!suspected) return
    const onKey = (event: KeyboardEvent) => {
      const typing =
        event.target instanceof HTMLElement && /INPUT|TEXTAREA|SELECT/.test(event.target.tagName)
      if (typing || event.ctrlKey || event.metaKey || event.altKey) return
      if (event.key === 'y') void decide('answered')
      if (event.key === 'n') void decide(suspected)
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  }, [suspected, decide])
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
              It is an answer <Key>Y</Key>
            </Button>
            <Button small onClick={() => void decide(suspected)}>
              It is {suspected} <Key>N</Key>
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
