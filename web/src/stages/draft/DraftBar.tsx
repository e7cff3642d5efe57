import { Tabs } from 'radix-ui'
import { VIEWS } from './view'

type Props = {
  beside: number | null
  /** What is to be known of the text just now: kept, copied, its size. */
  said: string
  onFiles: () => void
  onCompose: () => void
}

/** The ways of looking at the text, files, and the state of what was typed. */
export function DraftBar({ beside, said, onFiles, onCompose }: Props) {
  return (
    <div className="mt-1 mb-3 flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-rule pb-2 text-sm text-soft">
      <Tabs.List aria-label="View" className="flex flex-wrap gap-x-4 gap-y-1">
        {VIEWS.map((name) => (
          <Tabs.Trigger
            key={name}
            value={name}
            className="whitespace-nowrap hover:text-ink aria-selected:font-semibold aria-selected:text-ink"
          >
            {name === 'Beside' && beside !== null ? `Beside v${beside}` : name}
          </Tabs.Trigger>
        ))}
      </Tabs.List>
      <button type="button" className="hover:text-ink" onClick={onFiles}>
        Files…
      </button>
      <button type="button" className="whitespace-nowrap hover:text-ink" onClick={onCompose}>
        Draft from brief…
      </button>
      <span className="ml-auto truncate text-xs" role="status">
        {said}
      </span>
    </div>
  )
}
