import type { ReactNode } from 'react'
import { BEYOND_WORDS, isBeyond, Reasoning } from '@/parts/Reasoning'
import { ErrorLine } from '@/parts/controls'
import { endedInWords } from '@/parts/ended'
import { money, rampStep, score, seconds } from '@/parts/numbers'
import { rampColours } from '@/parts/ramp'
import type { Answer, Result } from './useTries'

/** One answer with what it took and how it scores; children: what can be done with it. */
export function AnswerView({ answer: a, children }: { answer: Answer; children?: ReactNode }) {
  const r = a.result
  return (
    <div className="border-b border-rule py-2">
      {a.problem && <ErrorLine>{a.problem}</ErrorLine>}
      {r && r.outcome !== 'answered' && (
        <p className="mb-1 border-l-2 border-harm bg-wash-harm px-2 py-1 text-sm text-harm">
          <strong>{r.outcome}</strong>: {r.why}
        </p>
      )}
      {r?.suspected && (
        <p className="mb-1 border-l-2 border-attention pl-2 text-sm text-attention-text">
          It looks {r.suspected}: {r.why}.
        </p>
      )}
      {r?.reasoning && <Reasoning>{r.reasoning}</Reasoning>}
      {r && isBeyond(r.text) && (
        <p className="mb-1 border-l-2 border-inform pl-2 text-sm">{BEYOND_WORDS}</p>
      )}
      {(a.text || (!r && !a.problem)) && (
        <pre
          dir="auto"
          className="max-h-96 overflow-y-auto font-mono text-sm whitespace-pre-wrap break-words"
          aria-busy={!r && !a.problem}
        >
          {a.text || '…'}
        </pre>
      )}
      {r && <Taken result={r} />}
      {r && <Form result={r} />}
      {r && <Scores result={r} />}
      {r && children}
    </div>
  )
}

export function Taken({ result: r }: { result: Result }) {
  const parts = [
    endedInWords(r.finish_reason),
    `${r.tokens_in} in, ${r.tokens_out} out`,
    r.cost !== null && money(r.cost),
    r.latency_ms > 0 && seconds(r.latency_ms),
    r.attempts > 1 && `${r.attempts} attempts`,
  ]
  return (
    <p className="mt-1 text-xs text-soft">
      {parts.filter(Boolean).map((part, i) => (
        <span key={i} className="whitespace-nowrap">
          {i > 0 && ' · '}
          {part}{' '}
        </span>
      ))}
    </p>
  )
}

/** Whether the answer has the form that the text itself asks for. */
export function Form({ result: r }: { result: Result }) {
  if (r.form.length === 0) return null
  return (
    <p className="mt-0.5 text-xs text-soft">
      What is asked:{' '}
      {r.form.map((c, i) => (
        <span key={c.what} className={c.ok ? '' : 'font-semibold text-harm'}>
          {i > 0 && '; '}
          {c.what} {c.ok ? 'kept' : `missed (${c.why})`}
        </span>
      ))}
    </p>
  )
}

export function Scores({ result: r }: { result: Result }) {
  if (r.scores.length === 0) return null
  return (
    <p className="mt-1 flex flex-wrap gap-1 text-xs">
      {r.scores.map((s) => (
        <span key={s.measure} title={s.why} className="whitespace-nowrap">
          {s.score === null ? (
            <span className="font-mono">none</span>
          ) : (
            <span className="px-1 font-mono" style={rampColours(rampStep(s.score))}>
              {score(s.score)}
            </span>
          )}{' '}
          {s.measure}
        </span>
      ))}
    </p>
  )
}
