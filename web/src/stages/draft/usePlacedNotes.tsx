import type { EditorView } from '@codemirror/view'
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import { Note, type PlacedNote } from '@/parts/Margin'
import { utf16Offsets } from '@/parts/codepoints'
import { notesOf, type NoteActs, type WantedNote } from './placedNotes'
import type { Reason } from './notes'
import type { Report } from './useReport'

type Given = NoteActs & {
  briefId: number
  report: Report | undefined
  /** What is proposed for wishes, beside its clause. */
  more: WantedNote[]
  /** The messages in order, by the ids of their editors. */
  ids: string[]
  settingsAmiss: boolean
  /** Why the version in hand differs from the one compared with, where that is known. */
  reasons: Reason[]
}

/** Where each note belongs: beside the line it speaks of, measured once the text is laid out. */
export function usePlacedNotes({
  briefId,
  report,
  ids,
  more,
  settingsAmiss,
  reasons,
  onFix,
  onPutBack,
  onSideBySide,
}: Given) {
  // A report that is a moment old still speaks of the version it was compared with.
  const against = report?.parent ?? null
  const views = useRef(new Map<string, EditorView>())
  const holder = useRef<HTMLDivElement>(null)
  const aside = useRef<HTMLElement>(null)
  const [layout, setLayout] = useState({ tick: 0, height: 0 })
  const [tops, setTops] = useState<Map<string, number>>(new Map())

  useEffect(() => {
    if (!holder.current) return
    const observer = new ResizeObserver((entries) =>
      setLayout((l) => ({ tick: l.tick + 1, height: entries[0]?.contentRect.height ?? l.height })),
    )
    observer.observe(holder.current)
    return () => observer.disconnect()
  }, [])

  const order = ids.join(' ')
  const count = ids.length
  const offsets = useMemo(() => (report?.texts ?? []).map(utf16Offsets), [report])
  const topOf = useCallback(
    (message: number, codePoint: number): number => {
      const view = views.current.get(order.split(' ')[message] ?? '')
      const base = aside.current?.getBoundingClientRect().top ?? 0
      if (!view) return 0
      const at = Math.min(offsets[message]?.(codePoint) ?? 0, view.state.doc.length)
      // lineBlockAt knows lines that are scrolled out of sight, too.
      const block = view.lineBlockAt(at)
      const place = view.coordsAtPos(at)
      return (place?.top ?? view.documentTop + block.top) - base - 18
    },
    [offsets, order],
  )

  const wanted = useMemo(
    () =>
      report
        ? notesOf({
            brief: briefId,
            report,
            count,
            more,
            reasons,
          })
        : [],
    [briefId, report, count, more, reasons],
  )
  useLayoutEffect(() => {
    // A frame later the editor has drawn its new marks.
    const frame = requestAnimationFrame(() =>
      setTops(new Map(wanted.map((w) => [w.key, Math.max(0, topOf(w.message, w.at))]))),
    )
    return () => cancelAnimationFrame(frame)
  }, [wanted, layout.tick, topOf])

  const notes: PlacedNote[] = wanted.map((w) => ({
    key: w.key,
    at: tops.get(w.key) ?? 0,
    note: w.note({ onFix, onPutBack, onSideBySide }),
    changes: w.changes,
  }))
  if (report && !settingsAmiss && !notes.some((n) => !n.changes))
    notes.push({ key: 'none', at: 60, note: <Note title="Nothing to settle" /> })
  if (report && !notes.some((n) => n.changes))
    notes.push({
      key: 'unchanged',
      at: 60,
      changes: true,
      note: (
        <Note title="Nothing was changed">
          {against === null
            ? 'Changes show here beside their clause as soon as you make them.'
            : `No clause differs from v${against}.`}
        </Note>
      ),
    })
  return { views, holder, aside, notes, height: Math.max(0, layout.height - 32) }
}
