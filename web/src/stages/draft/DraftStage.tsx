import type { EditorView } from '@codemirror/view'
import { isolateHistory } from '@codemirror/commands'
import { useQuery } from '@tanstack/react-query'
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import { api, dataOf, inWords, Problem, type Schemas, sentence } from '@/api/client'
import { useRefreshBrief, useVersion } from '@/api/queries'
import { utf16Offsets } from '@/parts/codepoints'
import { Button, Choice, ErrorLine, Field, Key, TextAction, Waiting } from '@/parts/controls'
import { AlignedNotes, Note, type PlacedNote } from '@/parts/Margin'
import { count, plural } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { useFrame } from '../BriefFrame'
import { AsSent } from './AsSent'
import { AmendmentNote, FindingNote, runsOf, SilencedNote } from './notes'
import { type Marks, PromptText } from './PromptText'
import { SettingsRow } from './SettingsRow'
import { TryView } from './TryView'
import { copyOf, keepCopy, loadCopy, newMessage, sameText, type WorkingCopy } from './workingCopy'

type Report = Schemas['DraftReport']
const VIEWS = ['Clauses', 'As sent', 'Try'] as const
type View = (typeof VIEWS)[number]

/** Draft: the version in hand as a statute, with what is said about it beside each line. */
export function DraftStage() {
  const { brief, inHand } = useFrame()
  const version = useVersion(brief.id, inHand)
  if (inHand !== null && version.isPending) return <div className="px-6"><Waiting what="the version" /></div>
  if (version.isError) {
    return <div className="p-6"><ErrorLine>{inWords(version.error)}</ErrorLine></div>
  }
  return <Draft key={`${brief.id}-${inHand ?? 'new'}`} version={version.data} />
}

function Draft({ version }: { version: Schemas['VersionDetail'] | undefined }) {
  const { brief, setInHand } = useFrame()
  const number = version?.number ?? null
  const saved = useMemo(() => copyOf(version), [version])
  const [copy, setCopy] = useState<WorkingCopy>(() => loadCopy(brief.id, number) ?? saved)
  const [view, setView] = useState<View>('Clauses')
  const [saving, setSaving] = useState(false)
  const [generation, setGeneration] = useState(0)
  const changed = !sameText(copy, saved)

  useEffect(() => {
    keepCopy(brief.id, number, changed ? copy : null)
  }, [brief.id, number, copy, changed])

  // Compared with the version in hand while there are unsaved changes, else with its parent.
  const against = changed ? number : (version?.parent ?? null)
  const report = useReport(brief.id, copy, against)

  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 's') {
        e.preventDefault()
        if (changed) setSaving(true)
      } else if (e.altKey && e.key.toLowerCase() === 's') {
        e.preventDefault()
        setView((v) => (v === 'As sent' ? 'Clauses' : 'As sent'))
      }
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  }, [changed])

  const edit = (index: number, part: Partial<WorkingCopy['messages'][number]>) =>
    setCopy((c) => ({ ...c, messages: c.messages.map((m, i) => (i === index ? { ...m, ...part } : m)) }))
  const drop = () => {
    setCopy(copyOf(version))
    setGeneration((g) => g + 1)
  }
  const next = (brief.versions.at(-1)?.number ?? 0) + 1
  const errors = settingsErrors(report)
  const { views, holder, aside, notes, height } = usePlacedNotes(brief.id, report, copy, errors)

  return (
    <div className="grid min-h-full grid-cols-[minmax(0,1fr)_17.5rem]">
      <div ref={holder} className="min-w-0 px-6 py-4">
        <div className="flex items-center gap-4">
          <h1 className="shrink-0 text-xl whitespace-nowrap">
            {number === null ? 'First version' : `Version ${number}`}
            {changed && number !== null ? ', with unsaved changes' : ''}
          </h1>
          {version && (
            <span className="min-w-0 truncate text-sm text-soft">
              {version.parent ? `from v${version.parent}` : 'the first'}
              {version.note && `, “${version.note}”`}
            </span>
          )}
          <span className="ml-auto flex gap-2">
            {changed && number !== null && (
              <Button kind="quiet" onClick={drop}>
                Drop changes
              </Button>
            )}
            <Button kind="main" disabled={!changed} onClick={() => setSaving(true)} title="Ctrl S">
              Save as v{next}…
            </Button>
          </span>
        </div>
        <div className="mt-1 mb-3 flex items-center gap-4 border-b border-rule pb-2 text-sm text-soft">
          <div role="tablist" aria-label="View" className="flex gap-4">
            {VIEWS.map((name) => (
              <button
                key={name}
                type="button"
                role="tab"
                aria-selected={view === name}
                onClick={() => setView(name)}
                className="aria-selected:font-semibold aria-selected:text-ink"
              >
                {name}
              </button>
            ))}
          </div>
          <Key>Alt S</Key>
          <span className="ml-auto">
            {report ? `${plural(report.clauses.length, 'clause')}, about ${count(report.tokens)} tokens` : ''}
          </span>
        </div>
        {view === 'Try' ? (
          <TryView brief={brief} copy={copy} besideNumber={against} />
        ) : view === 'As sent' ? (
          <AsSent brief={brief} messages={copy.messages} />
        ) : (
          copy.messages.map((message, index) => (
            <section key={`${message.id}-${generation}`} className="border-b border-rule pt-2 pb-2">
              <div className="flex items-center gap-3">
                <Choice
                  label={`Role of message ${index + 1}`}
                  hideLabel
                  className="w-24 [&_select]:h-6 [&_select]:border-transparent [&_select]:bg-transparent [&_select]:pl-0 [&_select]:text-xs [&_select]:text-soft [&_select]:hover:border-rule-strong"
                  value={message.role}
                  onChange={(e) => edit(index, { role: e.target.value })}
                >
                  {['system', 'user', 'assistant'].map((r) => (
                    <option key={r}>{r}</option>
                  ))}
                </Choice>
                {isExample(copy, index) && <span className="text-xs text-soft">worked example</span>}
                {message.step && <span className="text-xs text-soft">step {message.step}</span>}
                {copy.messages.length > 1 && (
                  <button
                    type="button"
                    className="ml-auto text-xs text-soft hover:text-harm"
                    onClick={() =>
                      setCopy((c) => ({ ...c, messages: c.messages.filter((_, i) => i !== index) }))
                    }
                  >
                    Take out
                  </button>
                )}
              </div>
              <PromptText
                label={`Text of message ${index + 1}, ${message.role}`}
                hint={message.role === 'system' ? 'Who the model is, what it must do, in which form…' : 'The input: {{message}}'}
                value={message.content}
                marks={marksOf(report, copy, index)}
                onChange={(content) => edit(index, { content })}
                onView={(view) => {
                  if (view) views.current.set(index, view)
                  else views.current.delete(index)
                }}
              />
            </section>
          ))
        )}
        {view === 'Clauses' && (
          <div className="mt-2 flex gap-4 text-sm">
            {['system', 'user', 'assistant'].map((role) => (
              <TextAction
                key={role}
                onClick={() => setCopy((c) => ({ ...c, messages: [...c.messages, newMessage(role)] }))}
              >
                Add {role === 'assistant' ? 'an' : 'a'} {role} message
              </TextAction>
            ))}
          </div>
        )}
        <h2 className="mt-6 mb-2 text-base">Settings sent with this version</h2>
        <SettingsRow settings={copy.settings} errors={errors} onChange={(settings) => setCopy((c) => ({ ...c, settings }))} />
      </div>
      <aside ref={aside} aria-label="Margin" className="border-l border-rule px-4 py-4">
        {view === 'Try' ? (
          <Note title="One case is no proof">
            It shows what comes back, and whether the form is right. Which text is better, and how sure that
            is, only a trial over many cases tells.
          </Note>
        ) : view === 'As sent' ? (
          <Note title="As sent">
            Literally what a model gets: every blank, asterisk and line break. Every call starts
            from a clean context.
          </Note>
        ) : (
          <AlignedNotes notes={notes} minHeight={height} />
        )}
      </aside>
      <Overlay open={saving} onOpenChange={setSaving} title={`Save as v${next}`}>
        <SaveVersion
          copy={copy}
          parent={number}
          report={report}
          onSaved={(made) => {
            keepCopy(brief.id, number, null)
            setSaving(false)
            setInHand(made)
          }}
        />
      </Overlay>
    </div>
  )
}

function isExample(copy: WorkingCopy, index: number): boolean {
  const role = copy.messages[index]?.role
  return role === 'assistant' || (role === 'user' && copy.messages[index + 1]?.role === 'assistant')
}

/** What the server says about the text, asked for a moment after the last key. */
function useReport(briefId: number, copy: WorkingCopy, parent: number | null): Report | undefined {
  const [settled, setSettled] = useState({ copy, parent })
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled({ copy, parent }), 220)
    return () => window.clearTimeout(timer)
  }, [copy, parent])
  const body = {
    messages: settled.copy.messages.map((m) => ({ role: m.role, content: m.content, step: m.step })),
    settings: settled.copy.settings,
    parent: settled.parent,
  }
  const report = useQuery({
    queryKey: ['draft', briefId, body],
    queryFn: () =>
      dataOf(api.POST('/api/briefs/{brief_id}/draft/', { params: { path: { brief_id: briefId } }, body })),
    placeholderData: (former) => former,
  })
  return report.data
}

function settingsErrors(report: Report | undefined): Record<string, string> {
  return Object.fromEntries(
    (report?.problems ?? [])
      .filter((p) => p.field.startsWith('settings.'))
      .map((p) => [p.field.replace('settings.', ''), p.text]),
  )
}

function marksOf(report: Report | undefined, copy: WorkingCopy, index: number): Marks {
  const text = copy.messages[index]?.content ?? ''
  const at = utf16Offsets(text)
  const unfilled = new Set(report?.unfilled ?? [])
  const kinds = new Map(
    (report?.amendments ?? []).flatMap((a) => (a.after ? [[a.after.number, a.kind] as const] : [])),
  )
  const clauses = (report?.clauses ?? []).filter((c) => c.message === index)
  return {
    clauses: clauses.map((c) => ({ number: c.number, start: at(c.start) })),
    spans: [
      ...(report?.tags ?? [])
        .filter((t) => t.message === index)
        .map((t) => ({
          start: at(t.start), end: at(t.end),
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

/** Where each note belongs: beside the line it speaks of, measured once the text is laid out. */
function usePlacedNotes(
  briefId: number, report: Report | undefined, copy: WorkingCopy, errors: Record<string, string>,
) {
  // A report that is a moment old still speaks of the version it was compared with.
  const against = report?.parent ?? null
  const views = useRef(new Map<number, EditorView>())
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

  const topOf = useCallback((message: number, codePoint: number): number => {
    const view = views.current.get(message)
    const base = aside.current?.getBoundingClientRect().top ?? 0
    if (!view) return 0
    const text = view.state.doc.toString()
    const at = Math.min(utf16Offsets(text)(codePoint), view.state.doc.length)
    const place = view.coordsAtPos(at)
    return (place?.top ?? view.dom.getBoundingClientRect().top) - base - 18
  }, [])

  const wanted = useMemo(() => {
    const list: { key: string; message: number; at: number; note: PlacedNote['note'] }[] = []
    for (const [i, p] of (report?.problems ?? []).entries()) {
      if (p.field.startsWith('settings.')) continue
      const message = Number(/^messages\.(\d+)/.exec(p.field)?.[1] ?? 0)
      list.push({ key: `p${i}`, message, at: 0, note: problemNote(p.text) })
    }
    for (const [i, f] of (report?.findings ?? []).entries()) {
      const message = f.message ?? 0
      const mend = f.fix
        ? () => {
            // Through the editor, so that undo takes it back.
            const view = views.current.get(message)
            if (!view || !f.fix) return
            const at = utf16Offsets(view.state.doc.toString())
            view.dispatch({
              changes: { from: at(f.fix.start), to: at(f.fix.end), insert: f.fix.text },
              // A step of its own: undo takes back the fix and not what was typed just before.
              annotations: isolateHistory.of('full'),
            })
            view.focus()
          }
        : null
      list.push({ key: `f${i}${f.rule}`, message, at: f.start, note: <FindingNote finding={f} mend={mend} brief={briefId} /> })
    }
    if (against !== null) {
      let last = { message: 0, at: 0 }
      for (const [i, run] of runsOf(report?.amendments ?? []).entries()) {
        const after = run[0].after
        const place = after ? { message: after.message, at: after.start } : last
        last = place
        list.push({ key: `a${i}`, ...place, note: <AmendmentNote run={run} parent={against} /> })
      }
    }
    if (report?.silenced.length) {
      list.push({
        key: 'silenced', message: copy.messages.length - 1, at: Number.MAX_SAFE_INTEGER,
        note: <SilencedNote rows={report.silenced} brief={briefId} />,
      })
    }
    return list
  }, [briefId, report, copy.messages.length, against])

  useLayoutEffect(() => {
    // A frame later the editor has drawn its new marks.
    const frame = requestAnimationFrame(() =>
      setTops(new Map(wanted.map((w) => [w.key, Math.max(0, topOf(w.message, w.at))]))),
    )
    return () => cancelAnimationFrame(frame)
  }, [wanted, layout.tick, topOf])

  const notes: PlacedNote[] = wanted.map((w) => ({ key: w.key, at: tops.get(w.key) ?? 0, note: w.note }))
  if (notes.length === 0 && report && Object.keys(errors).length === 0) {
    notes.push({
      key: 'none', at: 60,
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

function problemNote(text: string) {
  // An empty page is where one begins, not a mistake.
  return text.startsWith('the prompt is empty') ? (
    <Note tone="inform" title="Nothing to send yet">
      Write who the model is, what it must do and in which form it must answer. Name each input in
      double braces; a column of your cases fills it.
    </Note>
  ) : (
    <Note tone="harm" title="Cannot be sent">{sentence(text)}</Note>
  )
}

function SaveVersion({
  copy, parent, report, onSaved,
}: {
  copy: WorkingCopy
  parent: number | null
  report: Report | undefined
  onSaved: (n: number) => void
}) {
  const { brief } = useFrame()
  const refresh = useRefreshBrief(brief.id)
  const [note, setNote] = useState('')
  const [problem, setProblem] = useState<unknown>(null)
  const [busy, setBusy] = useState(false)
  const save = async () => {
    setBusy(true)
    setProblem(null)
    try {
      const made = await dataOf(
        api.POST('/api/briefs/{brief_id}/versions/', {
          params: { path: { brief_id: brief.id } },
          body: {
            messages: copy.messages
              .filter((m) => m.content !== '')
              .map((m) => ({ role: m.role, content: m.content, step: m.step })),
            settings: copy.settings, parent, note,
          },
        }),
      )
      refresh()
      onSaved(made.number)
    } catch (error) {
      setProblem(error)
      setBusy(false)
    }
  }
  const summary = report?.amendments.length
    ? `${plural(report.amendments.length, 'change')} against v${parent}, ${plural(report.kept, 'clause')} kept.`
    : ''
  return (
    <form
      className="grid gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        void save()
      }}
    >
      <p className="text-sm text-soft">
        {summary} A version never changes once saved; this one becomes a child of{' '}
        {parent === null ? 'nothing: it is the first' : `v${parent}`}.
      </p>
      <Field label="Note: what was changed and why" maxLength={300} value={note} onChange={(e) => setNote(e.target.value)} />
      {problem !== null && (
        <ErrorLine>
          {inWords(problem)}
          {problem instanceof Problem && problem.field ? ` (${fieldInWords(problem.field)})` : ''}
        </ErrorLine>
      )}
      <div>
        <Button kind="main" type="submit" disabled={busy}>
          Save the version
        </Button>
      </div>
    </form>
  )
}

function fieldInWords(field: string): string {
  const message = /^messages\.(\d+)/.exec(field)
  if (message) return `message ${Number(message[1]) + 1}`
  return field === 'messages' ? 'the text' : field
}
