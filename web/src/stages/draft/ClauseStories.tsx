import { Overlay } from '@/parts/overlay'
import { ClauseStory } from './ClauseStory'
import type { Report } from './useReport'

type Props = {
  /** The clauses asked about, as they are numbered now. */
  story: number[]
  close: () => void
  brief: number
  number: number | null
  changed: boolean
  report: Report | undefined
}

/** How the clauses at the cursor came to be, through the saved versions. */
export function ClauseStories({ story, close, brief, number, changed, report }: Props) {
  // A clause as it is typed now and the saved one it came from.
  const savedClause = (clause: number): number | null =>
    changed ? (report?.came_from.find((c) => c.number === clause)?.parent ?? null) : clause
  const told = story.flatMap((c) => savedClause(c) ?? [])
  return (
    <Overlay open onOpenChange={(open) => !open && close()} title="How this clause came to be" side>
      {number !== null &&
        told.map((c) => (
          <ClauseStory key={c} brief={brief} version={number} clause={c} unsaved={changed} />
        ))}
      {told.length === 0 && (
        <p className="text-sm text-soft">
          This clause is in no saved version yet. It came with what you typed.
        </p>
      )}
    </Overlay>
  )
}
