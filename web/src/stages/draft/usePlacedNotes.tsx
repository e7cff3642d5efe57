import type { EditorView } from '@codemirror/view'
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import { sentence } from '@/api/client'
import { Note, type PlacedNote } from '@/parts/Margin'
import { utf16Offsets } from '@/parts/codepoints'
import { TextAction } from '@/parts/controls'
import { AmendmentNote, FindingNote, reasonOf, runsOf, SilencedNote, type Reason } from './notes'
import type { Report } from './useReport'

const MOST_OF_A_RULE = 4

type Given = {
  briefId: number
  report: Report | undefined
  /** The messages in order, by the ids of their editors. */
  ids: string[]
  settingsAmiss: boolean
  /** Why the version in hand differs from the one compared with, where that is known. */
  reasons: Reason[]
  /** Put a text in the place of a stretch of a message; code points. */
  onFix: (message: number, start: number, end: number, text: string) => void
  /** Put amendments back as they were in the version compared with. */
  onPutBack: (ids: string[]) => void
  onSideBySide: () => void
}

/** Where each note belongs: beside the line it speaks of, measured once the text is laid out. */
export function usePlacedNotes({
  briefId,
  report,
  ids,
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
  const acts = useRef({ onFix, onPutBack, onSideBySide })
  useEffect(() => {
    acts.current = { onFix, onPutBack, onSideBySide }
  })

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

  const wanted = useMemo(() => {
    const list: { key: string; message: number; at: number; note: PlacedNote['note'] }[] = []
    for (const [i, p] of (report?.problems ?? []).entries()) {
      if (p.field.startsWith('settings.')) continue
      const message = p.message ?? 0
      const line = p.line ?? 1
      const at =
        [
          ...(report?.texts[message] ?? '')
            .split('\n')
            .slice(0, line - 1)
            .join('\n'),
        ].length + (line > 1 ? 1 : 0)
      list.push({ key: `p${i}`, message, at, note: problemNote(p.text, p.severity) })
    }
    const told = new Map<string, number>()
    const all = report?.findings ?? []
    for (const [i, f] of all.entries()) {
      const message = f.message ?? 0
      const before = told.get(f.rule) ?? 0
      told.set(f.rule, before + 1)
      if (before > MOST_OF_A_RULE) continue
      if (before === MOST_OF_A_RULE) {
        // One weakness a hundred times over is one thing to know, not a hundred notes.
        const rest = all.filter((o) => o.rule === f.rule).length - before
        list.push({
          key: `more${f.rule}`,
          message,
          at: f.start,
          note: (
            <Note
              title={
                <>
                  {rest} more <span className="font-normal">{f.rule.replaceAll('-', ' ')}</span>
                </>
              }
            >
              The same as above, further down.
            </Note>
          ),
        })
        continue
      }
      const fix = f.fix
      const mend = fix ? () => acts.current.onFix(message, fix.start, fix.end, fix.text) : null
      list.push({
        key: `f${i}${f.rule}`,
        message,
        at: f.start,
        note: <FindingNote finding={f} mend={mend} brief={briefId} />,
      })
    }
    if (against !== null && report?.rewritten) {
      list.push({
        key: 'rewritten',
        message: 0,
        at: 0,
        note: (
          <Note tone="attention" title={`Little of v${against} is left`}>
            {report.kept} of its clauses are kept.{' '}
            <TextAction className="font-sans text-xs" onClick={() => acts.current.onSideBySide()}>
              Read the two side by side
            </TextAction>
          </Note>
        ),
      })
    } else if (against !== null) {
      let last = { message: 0, at: 0 }
      for (const run of runsOf(report?.amendments ?? [], reasons)) {
        const first = run[0]
        const { after } = first
        const place = after ? { message: after.message, at: after.start } : last
        // A changed setting has no line of its own: it stands below the text.
        const setting = first.id.startsWith('layout-setting-')
        last = place
        const putBack = () => acts.current.onPutBack(run.map((a) => a.id))
        list.push({
          key: `a${first.id}`,
          ...(setting ? { message: count - 1, at: Number.MAX_SAFE_INTEGER } : place),
          note: (
            <AmendmentNote
              run={run}
              all={report?.amendments ?? []}
              parent={against}
              reason={reasonOf(first, reasons)}
              putBack={putBack}
            />
          ),
        })
      }
    }
    if (against === null) {
      // A first version has no parent to differ from: each clause tells why it is there.
      const told = new Set<string>()
      for (const c of report?.clauses ?? []) {
        const why = reasons.find((r) => r.kind === 'add' && r.text.includes(c.text.trim()))
        if (!why || told.has(why.text)) continue
        told.add(why.text)
        list.push({
          key: `w${c.number}`,
          message: c.message,
          at: c.start,
          note: <Note title={`§ ${c.number} why`}>{why.reason}</Note>,
        })
      }
    }
    if (report?.silenced.length) {
      list.push({
        key: 'silenced',
        message: count - 1,
        at: Number.MAX_SAFE_INTEGER,
        note: <SilencedNote rows={report.silenced} brief={briefId} />,
      })
    }
    return list
  }, [briefId, report, count, against, reasons])

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
    note: w.note,
  }))
  if (notes.length === 0 && report && !settingsAmiss) {
    notes.push({
      key: 'none',
      at: 60,
      note: (
        <Note title="Nothing to remark">
          {against === null
            ? 'Changes show here beside their clause as soon as you make them.'
            : `No clause differs from v${against}.`}
        </Note>
      ),
    })
  }
  return { views, holder, aside, notes, height: Math.max(0, layout.height - 32) }
}

function problemNote(text: string, severity: string) {
  if (severity !== 'error')
    return (
      <Note tone="inform" title="Too long to watch">
        {sentence(text)}
      </Note>
    )
  // An empty page is where one begins, not a mistake.
  return text.startsWith('the prompt is empty') ? (
    <Note tone="inform" title="Nothing to send yet">
      Write who the model is, what it must do and in which form it must answer. Name each input in
      double braces; a column of your cases fills it.
    </Note>
  ) : (
    <Note tone="harm" title="Cannot be sent">
      {sentence(text)}
    </Note>
  )
}
