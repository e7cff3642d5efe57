import { useState } from 'react'
import { useNavigate } from 'react-router'
import { useBrief } from '@/api/briefs'
import { useDesk } from '@/api/desk'
import { STAGES } from './stages'
import { Overlay } from './overlay'

type Entry = { label: string; hint: string; to: string }

type Props = { open: boolean; onOpenChange: (open: boolean) => void; briefId: number | null }

/** Reaches every brief, version, stage and page by typing. */
export function Palette({ open, onOpenChange, briefId }: Props) {
  return (
    <Overlay open={open} onOpenChange={onOpenChange} title="Find or do" hideTitle>
      <PaletteBody briefId={briefId} close={() => onOpenChange(false)} />
    </Overlay>
  )
}

function PaletteBody({ briefId, close }: { briefId: number | null; close: () => void }) {
  const navigate = useNavigate()
  const desk = useDesk()
  const brief = useBriefOrNone(briefId)
  const [words, setWords] = useState('')
  const [at, setAt] = useState(0)
  const entries: Entry[] = [
    ...(briefId === null
      ? []
      : [
          ...STAGES.map((s) => ({
            label: s.label,
            hint: `stage of ${brief?.name ?? 'this brief'}`,
            to: `/briefs/${briefId}/${s.stage}`,
          })),
          { label: 'Plan a trial', hint: 'do', to: `/briefs/${briefId}/trials/plan` },
          ...(brief?.versions ?? []).map((v) => ({
            label: `v${v.number} ${v.note}`,
            hint: 'version',
            to: `/briefs/${briefId}/draft?v=${v.number}`,
          })),
        ]),
    ...(desk.data?.briefs ?? []).map((b) => ({
      label: b.name,
      hint: 'brief',
      to: `/briefs/${b.id}/draft`,
    })),
    { label: 'Desk', hint: 'page', to: '/' },
    { label: 'Models', hint: 'page', to: '/models' },
    { label: 'Shelf', hint: 'page', to: '/shelf' },
    { label: 'Ledger', hint: 'page', to: '/ledger' },
  ]
  const found = entries.filter((e) => matches(`${e.label} ${e.hint}`, words)).slice(0, 12)
  const go = (entry: Entry | undefined) => {
    if (!entry) return
    close()
    void navigate(entry.to)
  }
  return (
    <div>
      <input
        // The palette opens to be typed in.
        // eslint-disable-next-line jsx-a11y/no-autofocus
        autoFocus
        role="combobox"
        aria-label="Find a brief, version, stage or page"
        aria-expanded="true"
        aria-controls="palette-found"
        aria-activedescendant={found[at] ? `palette-${at}` : undefined}
        placeholder="A brief, a version, a stage…"
        value={words}
        onChange={(e) => {
          setWords(e.target.value)
          setAt(0)
        }}
        onKeyDown={(e) => {
          if (e.key === 'ArrowDown') setAt(Math.min(at + 1, found.length - 1))
          else if (e.key === 'ArrowUp') setAt(Math.max(at - 1, 0))
          else if (e.key === 'Enter') go(found[at])
          else return
          e.preventDefault()
        }}
        className="h-10 w-full border-b border-rule-strong bg-transparent font-serif text-lg outline-none"
      />
      <ul id="palette-found" role="listbox" aria-label="Found" className="mt-2">
        {found.map((entry, i) => (
          // The keyboard works on the field above, as a combobox does.
          // eslint-disable-next-line jsx-a11y/click-events-have-key-events
          <li
            key={entry.to + entry.label}
            id={`palette-${i}`}
            role="option"
            aria-selected={i === at}
            onClick={() => go(entry)}
            className="flex cursor-pointer justify-between px-2 py-1.5 text-sm aria-selected:bg-wash-action"
          >
            <span>{entry.label}</span>
            <span className="text-xs text-soft">{entry.hint}</span>
          </li>
        ))}
        {found.length === 0 && (
          <li className="px-2 py-2 text-sm text-soft">Nothing by that name.</li>
        )}
      </ul>
    </div>
  )
}

function useBriefOrNone(id: number | null) {
  const brief = useBrief(id ?? 0)
  return id === null ? undefined : brief.data
}

/** Every word typed stands somewhere in the text. */
function matches(text: string, words: string): boolean {
  const low = text.toLowerCase()
  return words
    .toLowerCase()
    .split(/\s+/)
    .every((w) => low.includes(w))
}
