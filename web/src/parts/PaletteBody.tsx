import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import { useBrief } from '@/api/briefs'
import { findQuery, useDesk } from '@/api/desk'
import { KeyCaps } from '@/keys/KeyCaps'
import { KEYS, type KeyName } from '@/keys/registry'
import { commandsNow } from '@/keys/useKeys'
import { commands, matches, type Entry } from './palette.logic'
import { STAGES } from './stages'

// A person who types is not asked for after every letter.
const PAUSE_MS = 200
const MOST = 14

export function PaletteBody({ briefId, close }: { briefId: number | null; close: () => void }) {
  const navigate = useNavigate()
  const [words, setWords] = useState('')
  const [at, setAt] = useState(0)
  const known = useEntries(briefId).filter((e) => matches(`${e.label} ${e.hint}`, words))
  const { rows, looking, failed } = useFound(words, briefId)
  const found = [...known.slice(0, MOST), ...rows]
  const go = (entry: Entry | undefined) => {
    if (!entry) return
    close()
    if ('to' in entry) void navigate(entry.to)
    else commandsNow()[entry.act]?.(null)
  }
  return (
    <div>
      <input
        // The palette opens to be typed in.
        // eslint-disable-next-line jsx-a11y/no-autofocus
        autoFocus
        role="combobox"
        aria-label="Find a brief, trial, case or answer, or do something"
        aria-expanded="true"
        aria-controls="palette-found"
        aria-activedescendant={found[at] ? `palette-${at}` : undefined}
        placeholder="What to find, or to do…"
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
            key={('to' in entry ? entry.to : entry.act) + entry.label}
            id={`palette-${i}`}
            role="option"
            aria-selected={i === at}
            onClick={() => go(entry)}
            className="flex cursor-pointer items-baseline justify-between gap-4 px-2 py-1.5 text-sm aria-selected:bg-wash-action"
          >
            <span className="min-w-0 truncate">{entry.label}</span>
            <span className="flex shrink-0 items-baseline gap-2 text-xs text-soft">
              {entry.key && KEYS[entry.key].chords.length > 0 && <KeyCaps of={entry.key} />}
              {entry.hint}
            </span>
          </li>
        ))}
        {found.length === 0 && !looking && !failed && (
          <li className="px-2 py-2 text-sm text-soft">Nothing by that name, and no such text.</li>
        )}
      </ul>
      <p role="status" className="px-2 text-xs text-soft">
        {looking && 'Looking through trials, cases and answers…'}
        {failed && 'Trials, cases and answers cannot be looked through just now.'}
      </p>
    </div>
  )
}

/** Everything with a name that is known here, commands first. */
function useEntries(briefId: number | null): Entry[] {
  const desk = useDesk()
  const brief = useBriefOrNone(briefId)
  const [search] = useSearchParams()
  const open = new Set(Object.keys(commandsNow()) as KeyName[])
  return [
    ...commands(open, briefId, search),
    ...(briefId === null
      ? []
      : [
          { label: 'Plan a trial', hint: 'do', to: `/briefs/${briefId}/trials/plan` },
          {
            label: 'Twins of cases: does it hold when the input is put differently',
            hint: 'do',
            to: `/briefs/${briefId}/trials/twins`,
          },
          ...STAGES.map((s) => ({
            label: s.label,
            hint: `stage of ${brief?.name ?? 'this brief'}`,
            to: `/briefs/${briefId}/${s.stage}`,
          })),
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
}

/** What the server finds in the texts themselves, a moment after the last letter. */
function useFound(words: string, briefId: number | null) {
  const [settled, setSettled] = useState('')
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(words.trim()), PAUSE_MS)
    return () => window.clearTimeout(timer)
  }, [words])
  const wanted = settled !== ''
  const found = useQuery({
    ...findQuery({ q: settled, ...(briefId === null ? {} : { brief: briefId }) }),
    enabled: wanted,
    retry: false,
    staleTime: 5000,
  })
  const rows: Entry[] = wanted ? (found.data ?? []) : []
  const looking = words.trim() !== settled || (wanted && found.isFetching)
  return { rows, looking, failed: wanted && found.isError }
}

function useBriefOrNone(id: number | null) {
  const brief = useBrief(id ?? 0, id !== null)
  return brief.data
}
