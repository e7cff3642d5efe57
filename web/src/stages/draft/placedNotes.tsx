/** What the margin says of the text, each with the place it belongs to. */
import { sentence } from '@/api/client'
import { Note, type PlacedNote } from '@/parts/Margin'
import { TextAction } from '@/parts/controls'
import { AmendmentNote, FindingNote, reasonOf, runsOf, SilencedNote, type Reason } from './notes'
import type { Report } from './useReport'

const MOST_OF_A_RULE = 4

/** at: code points into the message. */
export type WantedNote = {
  key: string
  message: number
  at: number
  note: (acts: NoteActs) => PlacedNote['note']
  changes?: boolean
}

export type NoteActs = {
  /** Put a text in the place of a stretch of a message; code points. */
  onFix: (message: number, start: number, end: number, text: string, reason: string) => void
  /** Put amendments back as they were in the version compared with. */
  onPutBack: (ids: string[]) => void
  onSideBySide: () => void
}

type About = {
  brief: number
  report: Report
  /** What is proposed for wishes. */
  more: WantedNote[]
  /** How many messages the text has. */
  count: number
  /** Why the version in hand differs from the one compared with, where that is known. */
  reasons: Reason[]
}

export function notesOf(about: About): WantedNote[] {
  const { report } = about
  return [
    ...ofProblems(report),
    ...ofFindings(about),
    ...(report.parent === null ? ofReasons(about) : ofAmendments(about, report.parent)).map(
      (note) => ({ ...note, changes: true }),
    ),
    ...about.more,
    ...ofSilenced(about),
  ]
}

function ofProblems(report: Report): WantedNote[] {
  const list: WantedNote[] = []
  for (const [i, p] of report.problems.entries()) {
    if (p.field.startsWith('settings.')) continue
    const message = p.message ?? 0
    const line = p.line ?? 1
    const at =
      [
        ...(report.texts[message] ?? '')
          .split('\n')
          .slice(0, line - 1)
          .join('\n'),
      ].length + (line > 1 ? 1 : 0)
    list.push({ key: `p${i}`, message, at, note: () => problemNote(p.text, p.severity) })
  }
  return list
}

function ofFindings({ report, brief }: About): WantedNote[] {
  const list: WantedNote[] = []
  const told = new Map<string, number>()
  const all = report.findings ?? []
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
        note: () => (
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
    list.push({
      key: `f${i}${f.rule}`,
      message,
      at: f.start,
      note: (acts) => (
        <FindingNote
          finding={f}
          mend={fix ? () => acts.onFix(message, fix.start, fix.end, fix.text, f.text) : null}
          brief={brief}
        />
      ),
    })
  }
  return list
}

function ofAmendments({ report, count, reasons }: About, against: number): WantedNote[] {
  const list: WantedNote[] = []
  if (report.rewritten) {
    list.push({
      key: 'rewritten',
      message: 0,
      at: 0,
      note: (acts) => (
        <Note tone="attention" title={`Little of v${against} is left`}>
          {report.kept} of its clauses are kept.{' '}
          <TextAction className="font-sans text-xs" onClick={() => acts.onSideBySide()}>
            Read the two side by side
          </TextAction>
        </Note>
      ),
    })
  } else {
    let last = { message: 0, at: 0 }
    for (const run of runsOf(report.amendments ?? [], reasons)) {
      const first = run[0]
      const { after } = first
      const place = after ? { message: after.message, at: after.start } : last
      // A changed setting has no line of its own: it stands below the text.
      const setting = first.id.startsWith('layout-setting-')
      last = place
      list.push({
        key: `a${first.id}`,
        ...(setting ? { message: count - 1, at: Number.MAX_SAFE_INTEGER } : place),
        note: (acts) => (
          <AmendmentNote
            run={run}
            all={report.amendments ?? []}
            parent={against}
            reason={reasonOf(first, reasons)}
            putBack={() => acts.onPutBack(run.map((a) => a.id))}
          />
        ),
      })
    }
  }
  return list
}

/** A first version has no parent to differ from: each clause tells why it is there. */
function ofReasons({ report, reasons }: About): WantedNote[] {
  const list: WantedNote[] = []
  const told = new Set<string>()
  for (const c of report.clauses) {
    const why = reasons.find((r) => r.kind === 'add' && r.text.includes(c.text.trim()))
    if (!why || told.has(why.text)) continue
    told.add(why.text)
    list.push({
      key: `w${c.number}`,
      message: c.message,
      at: c.start,
      note: () => <Note title={`§ ${c.number} why`}>{why.reason}</Note>,
    })
  }
  return list
}

function ofSilenced({ report, brief, count }: About): WantedNote[] {
  if (report.silenced.length === 0) return []
  return [
    {
      key: 'silenced',
      message: count - 1,
      at: Number.MAX_SAFE_INTEGER,
      note: () => <SilencedNote rows={report.silenced} brief={brief} />,
    },
  ]
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
