import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { testCall, connectionsQuery } from '@/api/connections'
import { useWrite } from '@/api/useWrite'
import { Area, Button, ErrorLine, Simulated } from '@/parts/controls'
import { endedInWords } from '@/parts/ended'
import { money, seconds } from '@/parts/numbers'
import { useTyped } from '@/parts/typed'

/** One real call, and exactly what came back. */
export function TestCall({ model }: { model: Schemas['ModelShape'] }) {
  const [text, setText] = useTyped('test call', 'Answer with the one word: ready.')
  const [came, setCame] = useState<Schemas['TestedShape'] | null>(null)
  const { write, pending: busy, problem } = useWrite([connectionsQuery().queryKey])
  const ask = () => write(async () => setCame(await testCall(model.id, { text })))
  const a = came?.answer
  return (
    <div className="grid gap-4">
      <Area
        label="What is sent, as one message"
        rows={3}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <p className="flex items-center gap-3 text-sm text-soft">
        <Button
          kind="main"
          disabled={busy}
          lacks={[!text.trim() && 'the message is empty']}
          onClick={() => void ask()}
        >
          {busy ? 'Waiting…' : 'Call it'}
        </Button>
        A real call{model.price_in === null ? '' : ', at the usual price'}; at most 200 tokens come
        back.
        {model.simulated && <Simulated />}
      </p>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {came?.failure && (
        <ErrorLine>
          {came.failure.text}
          {came.failure.attempts > 1 && ` (${came.failure.attempts} attempts)`}
        </ErrorLine>
      )}
      {a && (
        <section>
          <h3 className="mb-1 font-serif text-base font-semibold">What came back</h3>
          <pre className="max-h-60 overflow-y-auto border-l-2 border-ink bg-sheet px-3 py-2 font-mono text-sm whitespace-pre-wrap break-words">
            {a.text || '(nothing)'}
          </pre>
          <p className="mt-1 text-xs text-soft">
            {[
              a.model_identity && `answered by ${a.model_identity}`,
              endedInWords(a.finish_reason) || 'how it ended was not told',
              a.tokens_in === null
                ? 'tokens not told'
                : `${a.tokens_in} tokens in, ${a.tokens_out ?? 0} out`,
              a.cost !== null && money(a.cost),
              seconds(a.latency_ms),
              a.first_ms !== null && `first word ${seconds(a.first_ms)}`,
              a.attempts > 1 && `${a.attempts} attempts`,
            ]
              .filter(Boolean)
              .join(' · ')}
          </p>
        </section>
      )}
      {came && (
        <details className="text-sm">
          <summary className="cursor-pointer text-soft">Exactly as sent</summary>
          <pre className="mt-1 max-h-52 overflow-y-auto font-mono text-xs whitespace-pre-wrap break-words">
            {JSON.stringify(came.request, null, 2)}
          </pre>
        </details>
      )}
    </div>
  )
}
