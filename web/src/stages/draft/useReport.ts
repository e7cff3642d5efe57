import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import type { Schemas } from '@/api/client'
import { draftReportQuery } from '@/api/drafts'
import { utf16Offsets } from '@/parts/codepoints'
import { datasetInHand } from '../dataset'
import type { Brief } from '../frame'
import type { Marks } from './PromptText'
import { toRows, type WorkingCopy } from './workingCopy'

/** texts: what each message said when the report was made. */
export type Report = Schemas['DraftReport'] & { texts: string[] }
const PAUSE_MS = 220

/** What the server says about the text, asked for a moment after the last key. */
export function useReport(
  brief: Brief,
  copy: WorkingCopy,
  parent: number | null,
): Report | undefined {
  const [settled, setSettled] = useState({ copy, parent })
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled({ copy, parent }), PAUSE_MS)
    return () => window.clearTimeout(timer)
  }, [copy, parent])
  const body = {
    messages: toRows(settled.copy),
    settings: settled.copy.settings,
    parent: settled.parent,
    dataset: datasetInHand(brief)?.id ?? null,
  }
  const report = useQuery({
    ...draftReportQuery(brief.id, body),
    placeholderData: (former) => former,
    gcTime: 60_000,
  })
  return report.data
}

export function settingsErrors(report: Report | undefined): Record<string, string> {
  return Object.fromEntries(
    (report?.problems ?? [])
      .filter((p) => p.field.startsWith('settings.'))
      .map((p) => [p.field.replace('settings.', ''), p.text]),
  )
}

/** What the editor of one message shows: clause numbers, placeholders, what changed. */
export function marksOf(report: Report | undefined, index: number): Marks {
  const text = report?.texts[index] ?? ''
  const at = utf16Offsets(text)
  const unfilled = new Set(report?.unfilled ?? [])
  const kinds = new Map(
    (report?.amendments ?? []).flatMap((a) => (a.after ? [[a.after.number, a.kind] as const] : [])),
  )
  const clauses = (report?.clauses ?? []).filter((c) => c.message === index)
  return {
    text,
    broken: (report?.problems ?? []).some(
      (p) => p.severity === 'error' && p.field.startsWith('messages'),
    ),
    clauses: clauses.map((c) => ({ number: c.number, start: at(c.start) })),
    spans: [
      ...(report?.tags ?? [])
        .filter((t) => t.message === index)
        .map((t) => ({
          start: at(t.start),
          end: at(t.end),
          kind: unfilled.has(t.name) ? ('unfilled' as const) : ('placeholder' as const),
        })),
      ...clauses.flatMap((c) => {
        const kind = kinds.get(c.number)
        return kind === 'add' || kind === 'amend' || kind === 'move'
          ? [{ start: at(c.start), end: at(c.end), kind }]
          : []
      }),
    ].sort((a, b) => a.start - b.start),
  }
}
