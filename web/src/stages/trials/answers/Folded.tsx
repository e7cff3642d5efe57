import type { ReactNode } from 'react'
import type { Schemas } from '@/api/client'
import { plural } from '@/parts/numbers'
import { asText } from '@/parts/text'
import { AskedTwins, twinsInShort } from '../twins/AskedTwins'
import { CallRows, FormerAnswers } from '../OutputView'
import type { Answers } from './useAnswers'

type Props = {
  trial: Schemas['TrialSummary']
  answers: Answers
  output: Schemas['OutputShape']
  onOutput: (id: number) => void
}

/** What is not needed at first glance, of the answer in focus. */
export function Folded({ trial, answers, output: o, onOutput }: Props) {
  const others = Object.keys(o.case.inputs).filter(
    (n) => o.uses.length > 0 && !o.uses.some((u) => u === n || u.startsWith(`${n}.`)),
  )
  const raw = o.calls.filter((c) => c.part === 'answer')
  const hidden = trial.arms.filter((a) => !answers.shown.some((s) => s.arm === a.id))
  return (
    <div className="mt-4 grid gap-1.5 text-sm">
      <Fold title="Exactly as sent">
        <CallRows output={o} />
      </Fold>
      {o.twins.length > 0 && (
        <Fold title={`Twins of the case: ${twinsInShort(o.twins)}`}>
          <AskedTwins key={o.id} twins={o.twins} />
        </Fold>
      )}
      {raw.length > 0 && (
        <Fold title="Raw reply">
          {raw.map((c) => (
            <pre
              key={c.position}
              className="mb-2 bg-sheet px-2 py-1.5 font-mono text-xs break-words whitespace-pre-wrap"
            >
              {c.text || '(nothing)'}
            </pre>
          ))}
        </Fold>
      )}
      {others.length > 0 && (
        <Fold title={`${plural(others.length, 'input')} that the prompt does not name`}>
          {others.map((n) => (
            <p key={n} className="mb-1 break-words whitespace-pre-wrap">
              <span className="text-soft">{n}:</span> {asText(o.case.inputs[n])}
            </p>
          ))}
        </Fold>
      )}
      {o.former.length > 0 && (
        <Fold title={o.current ? plural(o.former.length, 'former answer') : 'It has been replaced'}>
          <FormerAnswers output={o} onOther={onOutput} />
        </Fold>
      )}
      {hidden.length > 0 && (
        <Fold title={plural(hidden.length, 'other arm')}>
          <p className="flex flex-wrap gap-x-3 gap-y-1">
            {hidden.map((a) => (
              <button
                key={a.id}
                type="button"
                className="text-action underline decoration-1 underline-offset-2"
                onClick={() =>
                  answers.show(
                    answers.shown.map((s, i) =>
                      i === answers.focus ? { arm: a.id, repeat: 0 } : s,
                    ),
                  )
                }
              >
                {a.name}
              </button>
            ))}
          </p>
        </Fold>
      )}
    </div>
  )
}

function Fold({ title, children }: { title: string; children: ReactNode }) {
  return (
    <details className="border-b border-rule pb-1">
      <summary className="cursor-pointer text-soft marker:text-soft hover:text-ink">
        {title}
      </summary>
      <div className="pt-2 pb-1">{children}</div>
    </details>
  )
}
