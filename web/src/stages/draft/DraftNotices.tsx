import { lazy, Suspense } from 'react'
import { inWords } from '@/api/client'
import { ErrorLine } from '@/parts/controls'
import type { useWorkingCopy } from './useWorkingCopy'
import type { WorkingCopy } from './workingCopy'

// Seldom needed: two people at one text.
const CopyConflict = lazy(async () => ({ default: (await import('./CopyConflict')).CopyConflict }))

type Props = {
  work: ReturnType<typeof useWorkingCopy>
  copy: WorkingCopy
  number: number | null
  brought: string
  trouble: unknown
  /** Whether the text itself is on screen. */
  clauses: boolean
}

/** What stands above the text until it is dealt with: two texts, a text not kept yet, what went wrong. */
export function DraftNotices({ work, copy, number, brought, trouble, clauses }: Props) {
  return (
    <>
      {work.conflict && (
        <Suspense fallback={null}>
          <CopyConflict conflict={work.conflict} mine={copy} settle={work.settle} />
        </Suspense>
      )}
      {work.keeping === 'waiting' && work.trouble && (
        <p
          role="alert"
          className="mb-3 border-l-2 border-attention bg-wash-attention px-3 py-1.5 text-sm"
        >
          Not kept on the server yet: {work.trouble} The text is safe in this tab, and it is tried
          again.
        </p>
      )}
      {brought && (
        <p
          role="status"
          className="mb-3 border-l-2 border-inform bg-wash-inform px-3 py-1.5 text-sm"
        >
          {brought}
        </p>
      )}
      {trouble !== null && (
        <div className="mb-3">
          <ErrorLine>{inWords(trouble)}</ErrorLine>
        </div>
      )}
      {copy.secondParent !== null && clauses && (
        <p className="mb-2 border-l-2 border-inform bg-wash-inform px-3 py-1.5 text-sm">
          Amendments of v{copy.secondParent} are brought in; saved, this has v{number} and v
          {copy.secondParent} as parents.
        </p>
      )}
    </>
  )
}
