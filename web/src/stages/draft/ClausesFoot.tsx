import { lazy, Suspense } from 'react'
import type { Schemas } from '@/api/client'
import { KeyCaps } from '@/keys/KeyCaps'
import { Button } from '@/parts/controls'
import { CasePicker } from './CasePicker'
import type { WantedNote } from './placedNotes'
import type { useCaseAt } from './useCaseAt'
import type { Report } from './useReport'
import type { WorkingCopy } from './workingCopy'
import type { useWorkingCopy } from './useWorkingCopy'

const WishLine = lazy(async () => ({ default: (await import('./wishes/WishLine')).WishLine }))

type Props = {
  copy: WorkingCopy
  take: (messages: Schemas['MessageShape'][]) => void
  work: Pick<ReturnType<typeof useWorkingCopy>, 'canUndo' | 'canRedo' | 'undo' | 'redo'>
  cases: ReturnType<typeof useCaseAt>
  report: Report | undefined
  onProposals: (notes: WantedNote[]) => void
  /** A model writes the first text. */
  onCompose: () => void
}

/** Below the clauses: the way back, the case whose values show on hover, and keys. */
export function ClausesFoot({ work, cases, copy, take, report, onProposals, onCompose }: Props) {
  return (
    <>
      <Suspense fallback={null}>
        <WishLine {...{ copy, take, report, onProposals, onCompose }} />
      </Suspense>
      <div className="mt-4 flex flex-wrap items-center gap-x-4 gap-y-1 text-xs text-soft">
        <span className="flex items-center gap-1">
          <Button small disabled={!work.canUndo} onClick={work.undo}>
            Undo
          </Button>
          <Button small disabled={!work.canRedo} onClick={work.redo}>
            Redo
          </Button>
        </span>
        <span className="flex items-center gap-2 [&_button]:h-6 [&_button]:px-2 [&_button]:text-xs">
          Values on hover: <CasePicker cases={cases} />
        </span>
        <span>
          <KeyCaps of="draft.sent" /> as sent
        </span>
        <span>
          <KeyCaps of="draft.copy" /> copy it
        </span>
        <span>
          <KeyCaps of="draft.pinned" /> pinned cases
        </span>
      </div>
    </>
  )
}
