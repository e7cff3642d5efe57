import { lazy, Suspense } from 'react'
import { Note, type PlacedNote } from '@/parts/Margin'
import { TextAction } from '@/parts/controls'
import type { Questions } from './open/useQuestions'
import { useWeighed } from './weights/useWeighed'
import type { Take } from './useDraft'

// It comes after the text is there.
const OpenQuestionNote = lazy(async () => ({
  default: (await import('./open/OpenQuestionNote')).OpenQuestionNote,
}))

type Given = {
  brief: number
  number: number | null
  asking: Questions
  take: Take
  onQuestions: () => void
  onWeights: () => void
}

/** What speaks of the whole text stands above what speaks of single lines: what is left open, what was weighed. */
export function useWholeNotes({
  brief,
  number,
  asking,
  take,
  onQuestions,
  onWeights,
}: Given): PlacedNote[] {
  const weighed = useWeighed(brief, number)
  return [
    ...(asking.questions.length > 0
      ? [
          {
            key: 'question',
            at: 0,
            note: (
              <Suspense fallback={null}>
                <OpenQuestionNote asking={asking} take={take} onAll={onQuestions} />
              </Suspense>
            ),
          },
        ]
      : []),
    ...(weighed
      ? [
          {
            key: 'weighed',
            at: 0,
            changes: true,
            note: (
              <Note
                tone="inform"
                title={
                  <>
                    Weighed{' '}
                    <span className="font-normal text-soft">
                      on {weighed.model}, trial {weighed.trial_number}
                    </span>
                  </>
                }
              >
                <TextAction className="font-sans text-xs" onClick={onWeights}>
                  What each clause of v{weighed.version} is worth
                </TextAction>
              </Note>
            ),
          },
        ]
      : []),
  ]
}
