import { lazy, Suspense } from 'react'
import type { Schemas } from '@/api/client'
import { Button } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useTrials } from '@/api/trials'
import type { Report } from './useReport'
import type { WorkingCopy } from './workingCopy'

const SaveAndRun = lazy(async () => ({ default: (await import('./SaveAndRun')).SaveAndRun }))

type Props = {
  brief: number
  version: Schemas['VersionDetail'] | undefined
  copy: WorkingCopy
  report: Report | undefined
  next: number
  changed: boolean
  /** Two texts wait for a choice: neither can be saved before. */
  held: boolean
  onDrop: () => void
  onSave: () => void
  onMade: (number: number) => void
}

/** Which version is in hand, where it came from, and the way to the next one. */
export function DraftHead(props: Props) {
  const { brief, version, report, next, changed, held, onDrop, onSave } = props
  const number = version?.number ?? null
  const last = (useTrials(brief).data ?? []).find((t) => t.purpose === 'compare')
  const changes = report?.parent === number ? (report?.amendments.length ?? 0) : 0
  const runs = changed && number !== null && last !== undefined
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
      <h1 className="shrink-0 text-xl whitespace-nowrap">
        {number === null ? 'First version' : `Version ${number}`}
        {changed &&
          number !== null &&
          (changes > 0 ? `, ${plural(changes, 'change')}` : ', changed')}
      </h1>
      {version && (
        <span className="min-w-0 truncate text-sm text-soft" title={version.note}>
          {version.parent
            ? `from v${version.parent}${version.second_parent ? ` and v${version.second_parent}` : ''}`
            : version.number === 1
              ? 'the first'
              : 'begun anew, from no other'}
          {version.note && `, “${version.note}”`}
        </span>
      )}
      <span className="ml-auto flex items-center gap-2">
        {changed && number !== null && (
          <Button kind="quiet" onClick={onDrop} title="one undo brings them back">
            Drop changes
          </Button>
        )}
        <Button
          kind={runs ? 'plain' : 'main'}
          lacks={[
            !changed && 'the text is as it was saved',
            held && 'another draft is kept on the server: say first which one stands',
          ]}
          onClick={onSave}
          title="Ctrl S"
        >
          Save as v{next}…
        </Button>
        {runs && (
          <Suspense fallback={null}>
            <SaveAndRun like={last.id} {...props} parent={number} />
          </Suspense>
        )}
      </span>
    </div>
  )
}
