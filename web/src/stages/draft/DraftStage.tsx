import { useQueryClient } from '@tanstack/react-query'
import { lazy, Suspense, useCallback, useEffect, useRef, useState } from 'react'
import { useSearchParams } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { renderDraftQuery } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { leaveAmendments, useVersion } from '@/api/versions'
import { AlignedNotes, Note } from '@/parts/Margin'
import { codePointSplice } from '@/parts/codepoints'
import { Button, ErrorLine, Key, TextAction, Waiting } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { useFrame } from '../BriefFrame'
import { SettingsRow } from '../settings/SettingsRow'
import { AsSent } from './AsSent'
import { BesideView } from './BesideView'
import { CasePicker } from './CasePicker'
import { ClausesView } from './ClausesView'
import { ClauseStory } from './ClauseStory'
import { CopyConflict } from './CopyConflict'
import { FilesSheet } from './FilesSheet'
import { OpenQuestionNote } from './open/OpenQuestionNote'
import { useQuestions } from './open/useQuestions'
import { SaveVersion } from './SaveVersion'
import { PinnedView } from './try/PinnedView'
import { SweepView } from './try/SweepView'
import { TryView } from './try/TryView'
import { useWeighed } from './weights/useWeighed'
import { useBroughtExample } from './useBroughtExample'
import { useCaseAt } from './useCaseAt'
import { usePlacedNotes } from './usePlacedNotes'
import { settingsErrors, useReport } from './useReport'
import { useWorkingCopy } from './useWorkingCopy'
import { copyOf, fromRows, sameText, toRows, type WorkingCopy } from './workingCopy'

// Helping models are asked less often than a text is opened: their sheets come when they are.
const DraftFromBrief = lazy(async () => ({
  default: (await import('./open/DraftFromBrief')).DraftFromBrief,
}))
const QuestionsSheet = lazy(async () => ({
  default: (await import('./open/QuestionsSheet')).QuestionsSheet,
}))

// Seldom the first thing that is looked at: it comes when it is asked for.
const WeightsView = lazy(() =>
  import('./weights/WeightsView').then((m) => ({ default: m.WeightsView })),
)

const VIEWS = ['Clauses', 'As sent', 'Try', 'Pinned', 'Sweep', 'Beside', 'Weights'] as const
type View = (typeof VIEWS)[number]
const KEPT = { kept: 'kept', keeping: 'keeping…', waiting: 'not kept yet' } as const

const NO_REASONS: Schemas['ReasonShape'][] = []

/** Draft: the version in hand as a statute, with what is said about it beside each line. */
export function DraftStage() {
  const { brief, inHand } = useFrame()
  const version = useVersion(brief.id, inHand)
  if (inHand !== null && version.isPending)
    return (
      <div className="px-6">
        <Waiting what="the version" />
      </div>
    )
  if (version.isError) {
    return (
      <div className="p-6">
        <ErrorLine>{inWords(version.error)}</ErrorLine>
      </div>
    )
  }
  return <Opened key={`${brief.id}-${inHand ?? 'new'}`} version={version.data} />
}

function Opened({ version }: { version: Schemas['VersionDetail'] | undefined }) {
  const { brief } = useFrame()
  const work = useWorkingCopy(brief.id, version)
  if (work.error)
    return (
      <div className="p-6">
        <ErrorLine>{inWords(work.error)}</ErrorLine>
      </div>
    )
  if (!work.copy)
    return (
      <div className="px-6">
        <Waiting what="what was typed last" />
      </div>
    )
  return <Draft version={version} work={work} copy={work.copy} />
}

type DraftProps = {
  version: Schemas['VersionDetail'] | undefined
  work: ReturnType<typeof useWorkingCopy>
  copy: WorkingCopy
}

function Draft({ version, work, copy }: DraftProps) {
  const { brief, setInHand, beside } = useFrame()
  const number = version?.number ?? null
  const { change, undo, redo } = work
  const [view, setView] = useView()
  const [saving, setSaving] = useState(false)
  const [pressed, setPressed] = useState(0)
  const [files, setFiles] = useState(false)
  const [sheet, setSheet] = useState<'questions' | 'drafting' | null>(null)
  const asking = useQuestions(brief.id, copy)
  const brought = useBroughtExample(copy, change)
  const [story, setStory] = useState<number[] | null>(null)
  const cases = useCaseAt(brief)
  const changed = !sameText(copy, work.saved)
  // Compared with the version in hand while there are unsaved changes, else with its parent.
  const against = changed ? number : (version?.parent ?? null)
  const report = useReport(brief.id, copy, against)
  const { words: copiedWords, copyAsSent } = useCopyAsSent(copy, cases)
  const { write, problem: trouble } = useWrite()

  const latest = useRef({ changed, copyAsSent })
  useEffect(() => {
    latest.current = { changed, copyAsSent }
  })
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const command = e.ctrlKey || e.metaKey
      const key = e.key.toLowerCase()
      const inField =
        e.target instanceof HTMLInputElement || e.target instanceof HTMLTextAreaElement
      if (command && key === 's') {
        e.preventDefault()
        if (latest.current.changed) setSaving(true)
      } else if (command && !inField && (key === 'z' || key === 'y')) {
        e.preventDefault()
        if (key === 'y' || e.shiftKey) redo()
        else undo()
      } else if (e.altKey && !command && key === 's') {
        e.preventDefault()
        setView((v) => (v === 'As sent' ? 'Clauses' : 'As sent'))
      } else if (e.altKey && !command && key === 'c') {
        e.preventDefault()
        void latest.current.copyAsSent()
      } else if (e.altKey && !command && key === 'p') {
        e.preventDefault()
        setView('Pinned')
        setPressed((n) => n + 1)
      }
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  }, [redo, undo, setView])

  const putBack = async (ids: string[]) => {
    const parent = report?.parent
    if (parent === null || parent === undefined) return
    await write(async () => {
      const made = await leaveAmendments(brief.id, {
        parent,
        messages: toRows(copy),
        settings: copy.settings,
        leave: ids,
      })
      change((c) => ({
        ...c,
        messages: fromRows(made.messages, c.messages),
        settings: made.settings,
      }))
    })
  }
  const fix = (message: number, start: number, end: number, text: string) => {
    change((c) => ({
      ...c,
      messages: c.messages.map((m, i) =>
        i === message ? { ...m, content: codePointSplice(m.content, start, end, text) } : m,
      ),
    }))
  }

  const next = (brief.versions.at(-1)?.number ?? 0) + 1
  const errors = settingsErrors(report)
  const { views, holder, aside, notes, height } = usePlacedNotes({
    briefId: brief.id,
    report,
    ids: copy.messages.map((m) => m.id),
    settingsAmiss: Object.keys(errors).length > 0,
    reasons: version && version.parent === report?.parent ? version.reasons : NO_REASONS,
    onFix: fix,
    onPutBack: (ids) => void putBack(ids),
    onSideBySide: () => setView('Beside'),
  })
  const take = (messages: Schemas['MessageShape'][]) =>
    change((c) => ({ ...c, messages: fromRows(messages, c.messages) }))
  const weighed = useWeighed(brief.id, number)
  // What is left open speaks of the whole text, so it stands above what speaks of single lines.
  const placed = [
    ...(asking.questions.length > 0
      ? [
          {
            key: 'question',
            at: 0,
            note: (
              <OpenQuestionNote asking={asking} take={take} onAll={() => setSheet('questions')} />
            ),
          },
        ]
      : []),
    ...(weighed
      ? [
          {
            key: 'weighed',
            at: 0,
            note: (
              <Note
                tone="inform"
                title={
                  <>
                    Weighed{' '}
                    <span className="font-normal text-soft">
                      on {weighed.model}, trial {weighed.trial_number}
                    </span>
                  </>
                }
              >
                <TextAction className="font-sans text-xs" onClick={() => setView('Weights')}>
                  What each clause of v{weighed.version} is worth
                </TextAction>
              </Note>
            ),
          },
        ]
      : []),
    ...notes,
  ]
  const valueOf = (name: string): string => {
    if (name.startsWith('steps.')) return `what step ${name.slice(6)} answers`
    const value = cases.chosen?.inputs[name]
    if (!cases.chosen) return 'no case to fill it from'
    if (value === undefined || value === null) return `case ${cases.chosen.number} has no ${name}`
    return `case ${cases.chosen.number}: ${(typeof value === 'string' ? value : JSON.stringify(value)).slice(0, 900)}`
  }
  // A clause as it is typed now and the saved one it came from.
  const savedClause = (clause: number): number | null =>
    changed ? (report?.came_from.find((c) => c.number === clause)?.parent ?? null) : clause
  const told = (story ?? []).flatMap((c) => savedClause(c) ?? [])

  return (
    <div
      className={`grid min-h-full ${view === 'Weights' ? 'grid-cols-1' : 'grid-cols-[minmax(0,1fr)_17.5rem]'}`}
    >
      <div ref={holder} className="min-w-0 self-start px-6 py-4">
        <div className="flex items-center gap-4">
          <h1 className="shrink-0 text-xl whitespace-nowrap">
            {number === null ? 'First version' : `Version ${number}`}
            {changed && number !== null ? ', with unsaved changes' : ''}
          </h1>
          {version && (
            <span className="min-w-0 truncate text-sm text-soft" title={version.note}>
              {version.parent
                ? `from v${version.parent}${version.second_parent ? ` and v${version.second_parent}` : ''}`
                : 'the first'}
              {version.note && `, “${version.note}”`}
            </span>
          )}
          <span className="ml-auto flex items-center gap-2">
            {changed && number !== null && (
              <Button
                kind="quiet"
                onClick={() => change(() => copyOf(version))}
                title="one undo brings them back"
              >
                Drop changes
              </Button>
            )}
            <Button
              kind="main"
              disabled={!changed || work.conflict !== null}
              onClick={() => setSaving(true)}
              title="Ctrl S"
            >
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
                className="whitespace-nowrap hover:text-ink aria-selected:font-semibold aria-selected:text-ink"
              >
                {name === 'Beside' && beside !== null ? `Beside v${beside}` : name}
              </button>
            ))}
          </div>
          <button type="button" className="hover:text-ink" onClick={() => setFiles(true)}>
            Files…
          </button>
          <button
            type="button"
            className="whitespace-nowrap hover:text-ink"
            onClick={() => setSheet('drafting')}
          >
            Draft from brief…
          </button>
          <span className="ml-auto truncate text-xs" role="status">
            {copiedWords || (changed ? `${KEPT[work.keeping]} · ` : '')}
            {!copiedWords && report
              ? `${report.clauses.length ? `${plural(report.clauses.length, 'clause')}, ` : ''}about ${count(report.tokens)} tokens`
              : ''}
          </span>
        </div>
        {work.conflict && (
          <CopyConflict conflict={work.conflict} mine={copy} settle={work.settle} />
        )}
        {work.keeping === 'waiting' && work.trouble && (
          <p
            role="alert"
            className="mb-3 border-l-2 border-attention bg-wash-attention px-3 py-1.5 text-sm"
          >
            Not kept on the server yet: {work.trouble} The text is safe in this tab, and it is tried
            again.
          </p>
        )}
        {brought && (
          <p
            role="status"
            className="mb-3 border-l-2 border-inform bg-wash-inform px-3 py-1.5 text-sm"
          >
            {brought}
          </p>
        )}
        {trouble !== null && (
          <div className="mb-3">
            <ErrorLine>{inWords(trouble)}</ErrorLine>
          </div>
        )}
        {copy.secondParent !== null && view === 'Clauses' && (
          <p className="mb-2 border-l-2 border-inform bg-wash-inform px-3 py-1.5 text-sm">
            Amendments of v{copy.secondParent} are brought in; saved, this has v{number} and v
            {copy.secondParent} as parents.
          </p>
        )}
        {view === 'Try' ? (
          <TryView
            brief={brief}
            copy={copy}
            besideNumber={against}
            cases={cases}
            placeholders={report?.placeholders ?? []}
            change={change}
            goTo={setView}
          />
        ) : view === 'Pinned' ? (
          <PinnedView brief={brief} copy={copy} against={against} cases={cases} pressed={pressed} />
        ) : view === 'Sweep' ? (
          <SweepView
            brief={brief}
            copy={copy}
            cases={cases}
            placeholders={report?.placeholders ?? []}
          />
        ) : view === 'Beside' ? (
          number === null ? (
            <p className="text-sm text-soft">
              Save a first version before another is set beside it.
            </p>
          ) : (
            <BesideView
              number={number}
              unsaved={changed}
              onTaken={(taken) => {
                change((c) => ({ ...taken, messages: fromRows(toRows(taken), c.messages) }))
                setView('Clauses')
              }}
            />
          )
        ) : view === 'Weights' ? (
          version === undefined ? (
            <p className="text-sm text-soft">
              Save a first version before its clauses are weighed.
            </p>
          ) : (
            <Suspense fallback={<Waiting what="the weights" />}>
              <WeightsView version={version} unsaved={changed} />
            </Suspense>
          )
        ) : view === 'As sent' ? (
          <AsSent copy={copy} cases={cases} />
        ) : (
          <>
            <ClausesView
              copy={copy}
              report={report}
              views={views}
              valueOf={valueOf}
              change={change}
              onClauses={setStory}
            />
            <div className="mt-4 flex flex-wrap items-center gap-x-4 gap-y-1 text-xs text-soft">
              <span className="flex items-center gap-1">
                <Button small disabled={!work.canUndo} onClick={undo}>
                  Undo
                </Button>
                <Button small disabled={!work.canRedo} onClick={redo}>
                  Redo
                </Button>
              </span>
              <span className="flex items-center gap-2 [&_button]:h-6 [&_button]:px-2 [&_button]:text-xs">
                Values on hover: <CasePicker cases={cases} />
              </span>
              <span>
                <Key>Alt S</Key> as sent
              </span>
              <span>
                <Key>Alt C</Key> copy it
              </span>
              <span>
                <Key>Alt P</Key> pinned cases
              </span>
            </div>
          </>
        )}
        {view !== 'Beside' && view !== 'Pinned' && view !== 'Weights' && (
          <>
            <h2 className="mt-6 mb-2 text-base">Settings sent with this version</h2>
            <SettingsRow
              settings={copy.settings}
              task={brief.task}
              errors={errors}
              onChange={(settings) => change((c) => ({ ...c, settings }), 'settings')}
            />
          </>
        )}
      </div>
      {/* Weights bring a margin of their own, line by line. */}
      <aside
        ref={aside}
        aria-label="Margin"
        hidden={view === 'Weights'}
        className="border-l border-rule px-4 py-4"
      >
        {view === 'Clauses' ? (
          <AlignedNotes notes={placed} minHeight={height} />
        ) : view === 'Weights' ? null : (
          <Aside view={view} />
        )}
      </aside>
      <Overlay open={saving} onOpenChange={setSaving} title={`Save as v${next}`}>
        <SaveVersion
          copy={copy}
          parent={number}
          report={report}
          onSaved={(made) => {
            work.forget()
            setSaving(false)
            setInHand(made)
          }}
        />
      </Overlay>
      <Overlay open={files} onOpenChange={setFiles} title="Files and requests">
        <FilesSheet
          copy={copy}
          unsaved={changed}
          cases={cases}
          onDone={(made) => {
            setFiles(false)
            setInHand(made)
          }}
        />
      </Overlay>
      <Overlay
        open={sheet === 'questions'}
        onOpenChange={(open) => !open && setSheet(null)}
        title="What is left open"
        side
      >
        <Suspense fallback={<Waiting what="the questions" />}>
          <QuestionsSheet asking={asking} take={take} />
        </Suspense>
      </Overlay>
      <Overlay
        open={sheet === 'drafting'}
        onOpenChange={(open) => !open && setSheet(null)}
        title="Draft from the brief"
      >
        <Suspense fallback={<Waiting what="the model’s part" />}>
          <DraftFromBrief
            onDone={(made) => {
              setSheet(null)
              setInHand(made)
            }}
          />
        </Suspense>
      </Overlay>
      <Overlay
        open={story !== null}
        onOpenChange={(open) => !open && setStory(null)}
        title="How this clause came to be"
        side
      >
        {number !== null &&
          told.map((c) => (
            <ClauseStory key={c} brief={brief.id} version={number} clause={c} unsaved={changed} />
          ))}
        {told.length === 0 && (
          <p className="text-sm text-soft">
            This clause is in no saved version yet. It came with what you typed.
          </p>
        )}
      </Overlay>
    </div>
  )
}

const SAID: Record<Exclude<View, 'Clauses' | 'Weights'>, [string, string]> = {
  'As sent': [
    'As sent',
    'Literally what a model gets: every blank, asterisk and line break. Every call starts from a clean context.',
  ],
  Try: [
    'One case is no proof',
    'It shows what comes back, and whether the form is right. Which text is better, and how sure that is, only a trial over many cases tells.',
  ],
  Pinned: [
    'A few cases at hand',
    'Up to twelve cases to see at once what a change does, changed answers first. They are no measure: what reads well on twelve may be luck.',
  ],
  Sweep: [
    'One placeholder, many values',
    'The same text with each value in turn: tones, audiences, languages. The other placeholders come from the case.',
  ],
  Beside: [
    'Two versions',
    'What leads from the version in hand to the other one. Struck words go, the others come. Ticked amendments can be brought in.',
  ],
}

function Aside({ view }: { view: Exclude<View, 'Clauses' | 'Weights'> }) {
  const [title, text] = SAID[view]
  return <Note title={title}>{text}</Note>
}

/** The view is part of the address, so that a reload or a link shows the same. */
function useView(): [View, (next: View | ((v: View) => View)) => void] {
  const [search, setSearch] = useSearchParams()
  const asked = search.get('view')
  const view = VIEWS.find((v) => v === asked) ?? 'Clauses'
  const set = useCallback(
    (next: View | ((v: View) => View)) => {
      setSearch(
        (now) => {
          const former = VIEWS.find((v) => v === now.get('view')) ?? 'Clauses'
          const chosen = typeof next === 'function' ? next(former) : next
          if (chosen === 'Clauses') now.delete('view')
          else now.set('view', chosen)
          return now
        },
        { replace: true },
      )
    },
    [setSearch],
  )
  return [view, set]
}

/** The text as sent on the clipboard, from any view by one key. */
function useCopyAsSent(copy: WorkingCopy, cases: ReturnType<typeof useCaseAt>) {
  const [words, setWords] = useState('')
  const cache = useQueryClient()
  useEffect(() => {
    if (!words) return
    const timer = window.setTimeout(() => setWords(''), 4000)
    return () => window.clearTimeout(timer)
  }, [words])
  const copyAsSent = async () => {
    const body = { messages: toRows(copy), inputs: cases.chosen?.inputs ?? {} }
    try {
      const done = await cache.fetchQuery(renderDraftQuery(body))
      await navigator.clipboard.writeText(
        done.messages.map((m) => `[${m.role}]\n${m.content}`).join('\n\n'),
      )
      setWords(`Copied as sent${cases.chosen ? `, case ${cases.chosen.number}` : ''}`)
    } catch (error) {
      setWords(inWords(error))
    }
  }
  return { words, copyAsSent }
}
