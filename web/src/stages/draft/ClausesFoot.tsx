import { lazy, Suspense } from 'react'
import { KeyCaps } from '@/keys/KeyCaps'
import { Button } from '@/parts/controls'
import type { WantedNote } from './placedNotes'
import type { Report } from './useReport'
import type { WorkingCopy } from './workingCopy'
import type { useWorkingCopy } from './useWorkingCopy'
import type { Take } from './useDraft'

const WishLine = lazy(async () => ({ default: (await import('./wishes/WishLine')).WishLine }))

type Props = {
  copy: WorkingCopy
  take: Take
  work: Pick<ReturnType<typeof useWorkingCopy>, 'canUndo' | 'canRedo' | 'undo' | 'redo'>
  report: Report | undefined
  onProposals: (notes: WantedNote[]) => void
  /** A model writes the first text. */
  onCompose: () => void
}

/** Below the text: what is wished for, and the way back. */
export function ClausesFoot({ work, copy, take, report, onProposals, onCompose }: Props) {
  return (
    <>
      <Suspense fallback={null}>
        <WishLine {...{ copy, take, report, onProposals, onCompose }} />
      </Suspense>
      <div className="mt-4 flex flex-wrap items-center gap-x-4 gap-y-1 text-xs text-soft">
        <span className="flex items-center gap-1">
          <Button small lacks={[!work.canUndo && 'nothing was changed']} onClick={work.undo}>
            Undo
          </Button>
          <Button small lacks={[!work.canRedo && 'nothing was undone']} onClick={work.redo}>
            Redo
          </Button>
        </span>
        <span>
          <KeyCaps of="draft.copy" /> copy it exactly as sent
        </span>
      </div>
    </>
  )
}
