import type { Schemas } from '@/api/client'
import { WordChanges } from '@/parts/WordChanges'

type Words = Schemas['WordChangeShape'][]
type Props = {
  words: Words
  /** "" where there is none, or nothing to compare with. */
  answer: string
  answerWords: Words
  /** null where it cannot be told. */
  holds: boolean | null
  why: string
}

/** An input and its twin, and both answers, each in one text with what differs marked. */
export function TwinAnswer({ words, answer, answerWords, holds, why }: Props) {
  return (
    <div className="mt-1 grid grid-cols-2 gap-x-5 gap-y-1 max-[900px]:grid-cols-1">
      <div className="font-serif text-sm leading-snug break-words whitespace-pre-wrap">
        <WordChanges words={words} whole />
      </div>
      <div className="min-w-0">
        <div className="font-mono text-xs leading-snug break-words whitespace-pre-wrap">
          {answer === '' ? (
            <span className="text-soft">no answer</span>
          ) : (
            <WordChanges words={answerWords} whole />
          )}
        </div>
        {why && (
          <p className={`mt-1 text-xs ${holds === false ? 'text-harm' : 'text-soft'}`}>{why}</p>
        )}
        {holds && <p className="mt-1 text-xs text-action">behaves as expected</p>}
      </div>
    </div>
  )
}
