import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { TwinAnswer } from './TwinAnswer'
import { expectedOf } from './useTwins'

type Twin = Schemas['AskedTwin']

/** The twins that a measure had asked about an answer: those that break first, the others on demand. */
export function AskedTwins({ output }: { output: Schemas['OutputShape'] }) {
  const [all, setAll] = useState(false)
  if (output.twins.length === 0) return null
  const broken = output.twins.filter((t) => t.holds === false)
  const shown = all ? output.twins : broken
  return (
    <section aria-label="Twins of the case">
      <h2 className="mb-1 flex flex-wrap items-baseline gap-x-3 text-base">
        Twins of the case
        <span className="font-sans text-xs font-normal text-soft">
          {broken.length === 0
            ? 'none breaks'
            : `${broken.length} of ${plural(output.twins.length, 'twin')} ${broken.length === 1 ? 'breaks' : 'break'}`}
        </span>
        {broken.length < output.twins.length && (
          <TextAction
            light
            className="font-sans text-xs font-normal"
            aria-expanded={all}
            onClick={() => setAll(!all)}
          >
            {all ? 'only what breaks' : 'show all'}
          </TextAction>
        )}
      </h2>
      <ul>
        {shown.map((t, i) => (
          <li key={i} className="border-b border-rule py-2">
            <OneTwin twin={t} named={new Set(output.twins.map((x) => x.measure)).size > 1} />
          </li>
        ))}
      </ul>
    </section>
  )
}

function OneTwin({ twin: t, named }: { twin: Twin; named: boolean }) {
  return (
    <>
      <p className="flex flex-wrap gap-x-3 text-xs text-soft">
        <span>
          {named && `${t.measure}: `}
          {t.what}
        </span>
        <span>expected: {expectedOf(t)}</span>
      </p>
      <TwinAnswer
        words={t.words}
        answer={t.answer}
        answerWords={t.answer_words}
        holds={t.holds}
        why={t.why}
      />
    </>
  )
}
