import { useState } from 'react'
import { Button, TextAction } from '@/parts/controls'
import { clock } from '@/parts/numbers'
import type { Conflict } from './useWorkingCopy'
import type { WorkingCopy } from './workingCopy'

type Props = { conflict: Conflict; mine: WorkingCopy; settle: (mine: boolean) => void }

/** Two tabs have changed one text: nothing is overwritten until a person says which stays. */
export function CopyConflict({ conflict, mine, settle }: Props) {
  const [both, setBoth] = useState(false)
  const saved = conflict.by.startsWith('saved as') ? ` and ${conflict.by}` : ''
  return (
    <div
      role="alert"
      className="mb-3 border-l-2 border-attention bg-wash-attention px-3 py-2 text-sm"
    >
      <p>
        This text was changed in another tab{conflict.at ? ` at ${clock(conflict.at)}` : ''}
        {saved}. Nothing you typed here is lost, and it is not kept on the server until you choose.
      </p>
      <div className="mt-2 flex flex-wrap items-center gap-2">
        <Button kind="main" onClick={() => settle(true)}>
          Keep what is here
        </Button>
        <Button onClick={() => settle(false)}>Take the other text</Button>
        <TextAction onClick={() => setBoth(!both)}>
          {both ? 'Hide the two' : 'Read the two'}
        </TextAction>
        <span className="text-xs text-soft">The one you do not choose is one undo away.</span>
      </div>
      {both && (
        <div className="mt-2 grid grid-cols-2 gap-4">
          {[
            ['Here', mine],
            ['The other tab', conflict.theirs],
          ].map(([title, copy]) => (
            <div key={title as string} className="min-w-0">
              <p className="text-xs text-soft">{title as string}</p>
              <pre className="max-h-72 overflow-y-auto border-l-2 border-rule-strong bg-sheet px-2 py-1 font-mono text-xs whitespace-pre-wrap break-words">
                {(copy as WorkingCopy).messages
                  .map((m) => `[${m.role}]\n${m.content}`)
                  .join('\n\n')}
              </pre>
            </div>
          ))}
        </div>
      )}
    </div>
  )
}
