import { inWords, type Schemas } from '@/api/client'
import type { useOutput } from '@/api/trials'
import { ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { Reference } from '../trials/CorrectReference'
import { Inputs, Scores } from '../trials/OutputView'
import { Turns } from '../trials/Turns'
import { AnswerToMark } from './AnswerToMark'
import type { MarkDraft } from './draft'
import type { Judgement } from './passing'

export type Place = { start: number; end: number }
type Props = {
  output: ReturnType<typeof useOutput>
  draft: MarkDraft
  mine: Judgement | undefined
  place: Place | null
  setPlace: (p: Place | null) => void
  /** Whether reference and scores were asked for before a mark. */
  open: boolean
  setOpen: (open: boolean) => void
}

/** The answer that is read, what it was asked, and, after the mark, what it should have been. */
export function AnswerRead({ output, draft, mine, place, setPlace, open, setOpen }: Props) {
  return (
    <>
      {output.isPending && <Waiting what="the answer" />}
      {output.isError && <ErrorLine>{inWords(output.error)}</ErrorLine>}
      {output.data && (
        <article className="mt-4 grid max-w-3xl gap-5" aria-live="polite">
          <Inputs inputs={output.data.case.inputs} />
          <section>
            <h2 className="mb-1 text-base">Answer</h2>
            {output.data.turns.length > 0 && (
              <div className="mb-3">
                <Turns turns={output.data.turns.slice(0, -1)} />
              </div>
            )}
            <AnswerToMark
              output={output.data}
              spans={draft.spans.length || !mine ? draft.spans : spansOf(output.data)}
              chosen={place}
              onChoose={setPlace}
            />
          </section>
          {open || mine ? (
            <>
              <Reference key={output.data.id} output={output.data} />
              <Scores output={output.data} />
              {mine && (
                <p className="text-sm text-soft">
                  This was {output.data.arm.letter}: {output.data.arm.in_words},{' '}
                  {output.data.arm.settings_short}.
                </p>
              )}
            </>
          ) : (
            <p className="text-sm">
              <TextAction onClick={() => setOpen(true)}>Show reference and scores</TextAction>
            </p>
          )}
        </article>
      )}
    </>
  )
}

function spansOf(output: Schemas['OutputShape']) {
  return (output.mark?.spans ?? []).map((s) => ({ ...s, quote: s.quote ?? '' }))
}
