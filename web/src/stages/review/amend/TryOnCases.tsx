import { caseName } from '@/parts/caseName'
import { useQueries } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { outputQuery } from '@/api/trials'
import { Button, Choice, ErrorLine, TextAction } from '@/parts/controls'
import { score } from '@/parts/numbers'
import { AnswerView } from '../../draft/try/AnswerView'
import { useModels } from '../../draft/try/ModelPicks'
import { useTries } from '../../draft/try/useTries'
import { useFrame } from '../../frame'

type Props = {
  messages: Schemas['MessageShape'][]
  settings: Record<string, unknown>
  outputs: number[]
  onOpen: (output: number) => void
}

/** The text with what is taken on three cases its faults came from, beside the answers there are. */
export function TryOnCases({ messages, settings, outputs, onOpen }: Props) {
  const { brief } = useFrame()
  const models = useModels()
  const { answers, run, running, stop } = useTries(brief.id)
  const [model, setModel] = useState<number | null>(null)
  const [asked, setAsked] = useState(0)
  const found = useQueries({
    queries: outputs.map((id) => outputQuery(id)),
  })
  const former = found.flatMap((f) => (f.data ? [f.data] : []))
  const problem = found.find((f) => f.error)?.error ?? null
  // The model that gave the answers, so that only the text differs.
  const same = models.find((m) => m.name === former[0]?.arm.model)?.id
  const chosen = model ?? same ?? models[0]?.id ?? null
  const go = async () => {
    if (chosen === null) return
    setAsked(asked + 1)
    await run(
      former.map((o) => ({
        key: `t${asked + 1}-${o.id}`,
        model: chosen,
        messages: messages as { role: 'user'; content: string }[],
        settings,
        inputs: o.case.inputs,
        reference: o.case.reference,
        repeat: 0,
      })),
    )
  }
  return (
    <section className="grid gap-2 border-t border-rule pt-3">
      <div className="flex items-end gap-3">
        <Choice
          label="Try it on three cases, with"
          className="w-56"
          value={chosen ?? ''}
          onChange={(e) => setModel(Number(e.target.value))}
        >
          {models.map((m) => (
            <option key={m.id} value={m.id}>
              {m.name}
              {m.simulated ? ' (simulated)' : ''}
            </option>
          ))}
        </Choice>
        <Button
          disabled={running}
          lacks={[former.length === 0 && 'no former answer is there to hold it against']}
          onClick={() => void go()}
        >
          {asked ? 'Try again' : 'Try'}
        </Button>
        {running && (
          <Button kind="harm" onClick={stop}>
            Stop
          </Button>
        )}
        <span className="pb-1.5 text-sm text-soft">
          Three cases show whether the form is right; only a trial shows whether it is better.
        </span>
      </div>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {asked > 0 &&
        former.map((o) => {
          const answer = answers[`t${asked}-${o.id}`]
          return (
            <div key={o.id} className="grid grid-cols-2 gap-4 border-b border-rule pb-2">
              <div className="min-w-0">
                <p className="text-xs text-soft">
                  <TextAction light onClick={() => onOpen(o.id)}>
                    Case {caseName(o.case)}
                  </TextAction>
                  , v{o.arm.version} as it answered: {score(o.total)}
                </p>
                <pre className="mt-1 max-h-48 overflow-y-auto border-l-2 border-rule-strong bg-sheet px-3 py-1.5 font-mono text-xs break-words whitespace-pre-wrap">
                  {o.text || `(${o.outcome})`}
                </pre>
              </div>
              <div className="min-w-0">
                <p className="text-xs text-soft">
                  with what is taken
                  {answer?.result && answer.result.total !== null
                    ? `: ${score(answer.result.total)}`
                    : ''}
                </p>
                {answer && <AnswerView answer={answer} />}
              </div>
            </div>
          )
        })}
    </section>
  )
}
