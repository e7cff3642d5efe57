import { Tabs } from 'radix-ui'
import { KeyCaps } from '@/keys/KeyCaps'
import { settingsInShort } from './settingsInShort'
import type { View } from './view'
import type { Settings } from './workingCopy'

type Props = {
  view: View
  /** What is to be known of the text just now: kept, copied, its size. */
  said: string
  settings: Settings
  errors: Record<string, string>
  onSettings: () => void
  onSent: () => void
  onFiles: () => void
}

/** Three doors, and at the right what the text is and how it goes out. */
export function DraftBar({ view, said, settings, errors, onSettings, onSent, onFiles }: Props) {
  const amiss = Object.values(errors)[0]
  return (
    <div className="mt-1 mb-3 flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-rule pb-2 text-sm text-soft">
      <Tabs.List aria-label="View" className="flex flex-wrap gap-x-4 gap-y-1">
        {(['Text', 'Versions'] as const).map((name) => (
          <Tabs.Trigger
            key={name}
            value={name}
            className="whitespace-nowrap hover:text-ink aria-selected:font-semibold aria-selected:text-ink"
          >
            {name}
          </Tabs.Trigger>
        ))}
      </Tabs.List>
      <button type="button" className="whitespace-nowrap hover:text-ink" onClick={onFiles}>
        Take along…
      </button>
      <span className="ml-auto flex min-w-0 items-baseline gap-2 text-xs">
        <span className="truncate" role="status">
          {said}
        </span>
        ·
        <button
          type="button"
          className={`whitespace-nowrap underline decoration-dotted underline-offset-2 hover:text-ink ${amiss ? 'text-harm' : ''}`}
          title={amiss ?? 'sent with this version'}
          onClick={onSettings}
        >
          <span className="sr-only">Settings sent with this version: </span>
          {settingsInShort(settings)}
          {amiss && ': to be mended'}
        </button>
        ·
        <button
          type="button"
          aria-pressed={view === 'As sent'}
          className="whitespace-nowrap hover:text-ink hover:underline"
          onClick={onSent}
        >
          {view === 'As sent' ? 'back to the text' : 'exactly as sent'}
        </button>
        <KeyCaps of="draft.sent" />
      </span>
    </div>
  )
}
