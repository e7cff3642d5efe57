import { Link } from 'react-router'
import type { Schemas } from '@/api/client'
import { Note } from '@/parts/Margin'
import { plural, pValue, score, signed, lookedAt } from '@/parts/numbers'
import { Word } from '@/parts/Word'
import { useFrame } from '../../frame'
import { gapInWords, heldInWords } from './words'

type Course = Schemas['CourseShape']

/** What rounds came to: the held-out check, the gap in plain words, and what a person does next. */
export function CourseMargin({ course }: { course: Course }) {
  const { brief } = useFrame()
  const held = course.held_out
  const better = course.best !== course.start
  return (
    <div className="grid gap-4">
      <h2 className="text-base">What they came to</h2>
      {!better && course.state !== 'running' && (
        <Note tone="attention" title="Nothing beats the start">
          v{course.start} stands. More cases, better evidence or another proposing model may help.
        </Note>
      )}
      {better && (
        <Note tone="action" title={`v${course.best} is the best so far`}>
          Nothing is adopted by itself. Read it, then{' '}
          <Link
            className="font-sans font-semibold text-action underline"
            to={`/briefs/${brief.id}/draft?v=${course.best}&beside=${course.start}`}
          >
            see what changed since v{course.start}
          </Link>
          .
        </Note>
      )}
      {held?.difference && (
        <Note
          tone={(held.difference.low ?? 0) > 0 ? 'action' : 'attention'}
          title="On held-out cases"
        >
          {heldInWords(course, held.difference)}{' '}
          <Link
            className="font-sans font-semibold text-action underline"
            to={`/briefs/${brief.id}/trials/${held.trial}`}
          >
            Trial {held.trial_number}
          </Link>
          <span className="mt-1 block font-mono text-xs text-soft">
            {signed(held.difference.difference)} ({signed(held.difference.low)} to{' '}
            {signed(held.difference.high)}), p {pValue(held.difference.p)}
          </span>
        </Note>
      )}
      {held?.gap && (
        <Note
          tone={held.gap.reading === 'too closely' ? 'harm' : 'plain'}
          title="Tuned too closely?"
        >
          {gapInWords(held.gap)}
          {held.gap.gap !== null && (
            <span className="mt-1 block font-mono text-xs text-soft">
              gap {signed(held.gap.gap)} ({signed(held.gap.low)} to {signed(held.gap.high)});
              working {score(held.gap.working, 3)}, held-out {score(held.gap.held_out, 3)}
            </span>
          )}
        </Note>
      )}
      <Note
        title={
          <>
            <Word of="held out">Held-out cases</Word>: {lookedAt(course.looks)}
          </>
        }
      >
        {course.looks > 3
          ? 'With every look they are worth less: choosing among versions by them is tuning on them. Hold out new cases.'
          : 'Each trial on them counts, whoever ran it.'}
      </Note>
      <Note title="How losers are dropped">
        At five looks, when the chance of so large a lag is under 0.05 ÷ (5 ×{' '}
        {plural(course.candidates, 'candidate')}).
      </Note>
    </div>
  )
}
