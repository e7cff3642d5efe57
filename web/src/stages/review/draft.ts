import { toCodePoint, utf16Offsets } from '@/parts/codepoints'

export type Span = { start: number; end: number; quote: string; comment: string }

/** What a reader has said of one answer and not sent yet. */
export type MarkDraft = { comment: string; spans: Span[]; faults: string[]; better: string }
export const EMPTY: MarkDraft = { comment: '', spans: [], faults: [], better: '' }

export function isEmpty(d: MarkDraft): boolean {
  return !d.comment && d.spans.length === 0 && d.faults.length === 0 && !d.better
}

export type Segment = { text: string; start: number; spans: number[]; chosen: boolean }

/** An answer in runs that have the same comments on them; offsets in code points. */
export function segments(
  text: string,
  spans: { start: number; end: number }[],
  chosen: { start: number; end: number } | null,
): Segment[] {
  const length = toCodePoint(text, text.length)
  const at = utf16Offsets(text)
  const edges = new Set([0, length])
  for (const s of [...spans, ...(chosen ? [chosen] : [])]) {
    edges.add(Math.min(s.start, length))
    edges.add(Math.min(s.end, length))
  }
  const sorted = [...edges].sort((a, b) => a - b)
  return sorted.slice(0, -1).map((start, i) => {
    const end = sorted[i + 1] ?? length
    const covers = (s: { start: number; end: number }) => s.start <= start && s.end >= end
    return {
      text: text.slice(at(start), at(end)),
      start,
      spans: spans.flatMap((s, j) => (covers(s) ? [j] : [])),
      chosen: chosen !== null && covers(chosen),
    }
  })
}

/** The parts of an answer that the keys step through: sentences, and lines of what is no prose. */
export function stops(text: string): { start: number; end: number }[] {
  const found: { start: number; end: number }[] = []
  const json = /^\s*[{[]/.test(text)
  const parts = json
    ? /"[^"\n]*"\s*:\s*(?:"(?:[^"\\]|\\.)*"|[^,{}[\]\s]+)|"(?:[^"\\]|\\.)*"/gu
    : /[^\n.!?…]*[.!?…]+["'”’)\]]*|[^\n]+/gu
  for (const m of text.matchAll(parts)) {
    const lead = m[0].length - m[0].trimStart().length
    const body = m[0].trim()
    if (!body) continue
    const start = m.index + lead
    found.push({ start: toCodePoint(text, start), end: toCodePoint(text, start + body.length) })
  }
  return found
}

/** The part after, or before, the one that is chosen; where there is none, where it was. */
export function nextStop(
  text: string,
  place: { start: number; end: number } | null,
  by: 1 | -1,
): { start: number; end: number } | null {
  const parts = stops(text)
  const now = place ? parts.findIndex((p) => p.start >= place.start) : by === 1 ? -1 : parts.length
  return parts[Math.min(Math.max(now + by, 0), parts.length - 1)] ?? place
}

/** What was said of a former answer, as it is said of this one where it is still so. */
export function saidOf(former: {
  comment: string
  spans: { comment: string }[]
  faults: string[]
}): Pick<MarkDraft, 'comment' | 'faults'> {
  return {
    comment: former.comment || former.spans.map((s) => s.comment).join('; '),
    faults: former.faults,
  }
}
