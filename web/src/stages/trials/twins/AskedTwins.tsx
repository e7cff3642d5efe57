import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { TextAction } from '@/parts/controls'
import { TwinAnswer } from './TwinAnswer'
import { expectedOf } from './useTwins'

type Output = Schemas['OutputShape']
type Twin = Schemas['AskedTwin']

/** How many of the twins that a measure had asked about an answer break. */
export function twinsInShort(twins: Twin[]): string {
  const broken = twins.filter((t) => t.holds === false).length
  return broken === 0
    ? `none of ${twins.length} breaks`
    : `${broken} of ${twins.length} ${broken === 1 ? 'breaks' : 'break'}`
}

/** The twins that a measure had asked about an answer: those that break, the others on demand. */
export function AskedTwins({ twins }: { twins: Output['twins'] }) {
  const broken = twins.filter((t) => t.holds === false)
  const [all, setAll] = useState(broken.length === 0)
  const several = new Set(twins.map((t) => t.measure)).size > 1
  return (
    <>
      <ul>
        {(all ? twins : broken).map((t, i) => (
          <li key={i} className="border-b border-rule py-2 first:pt-0">
            <p className="flex flex-wrap gap-x-3 text-xs text-soft">
              <span>
                {several && `${t.measure}: `}
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
          </li>
        ))}
      </ul>
      {!all && broken.length < twins.length && (
        <TextAction light className="mt-1 text-xs" onClick={() => setAll(true)}>
          The other {twins.length - broken.length} as well
        </TextAction>
      )}
    </>
  )
}
