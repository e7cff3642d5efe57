import type { Schemas } from '@/api/client'
import { Button } from '@/parts/controls'

type Props = {
  version: Schemas['VersionDetail'] | undefined
  next: number
  changed: boolean
  /** Two texts wait for a choice: neither can be saved before. */
  held: boolean
  onDrop: () => void
  onSave: () => void
}

/** Which version is in hand, where it came from, and the way to the next one. */
export function DraftHead({ version, next, changed, held, onDrop, onSave }: Props) {
  const number = version?.number ?? null
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
      <h1 className="shrink-0 text-xl whitespace-nowrap">
        {number === null ? 'First version' : `Version ${number}`}
        {changed && number !== null ? ', with unsaved changes' : ''}
      </h1>
      {version && (
        <span className="min-w-0 truncate text-sm text-soft" title={version.note}>
          {version.parent
            ? `from v${version.parent}${version.second_parent ? ` and v${version.second_parent}` : ''}`
            : 'the first'}
          {version.note && `, “${version.note}”`}
        </span>
      )}
      <span className="ml-auto flex items-center gap-2">
        {changed && number !== null && (
          <Button kind="quiet" onClick={onDrop} title="one undo brings them back">
            Drop changes
          </Button>
        )}
        <Button kind="main" disabled={!changed || held} onClick={onSave} title="Ctrl S">
          Save as v{next}…
        </Button>
      </span>
    </div>
  )
}
