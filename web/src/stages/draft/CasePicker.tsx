import { Button } from '@/parts/controls'
import type { useCaseAt } from './useCaseAt'

/** Which case the text is filled from, and the way to the next. */
export function CasePicker({ cases }: { cases: ReturnType<typeof useCaseAt> }) {
  const { chosen, at, total, step, dataset } = cases
  if (!chosen) {
    return (
      <span className="text-soft">
        {dataset ? '' : 'No cases yet: placeholders stay as written.'}
      </span>
    )
  }
  return (
    <>
      <Button onClick={() => step(-1)} aria-label="case before">
        ‹
      </Button>
      <span>
        Case {chosen.number}, {at + 1} of {total} working
      </span>
      <Button onClick={() => step(1)} aria-label="next case">
        ›
      </Button>
    </>
  )
}
