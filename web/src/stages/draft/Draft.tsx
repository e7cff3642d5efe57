import { Tabs } from 'radix-ui'
import { lazy, Suspense, useState } from 'react'
import type { Schemas } from '@/api/client'
import { useKeys } from '@/keys/useKeys'
import { useFrame } from '../frame'
import { ClausesFoot } from './ClausesFoot'
import { ClausesView } from './ClausesView'
import { DraftBar } from './DraftBar'
import { DraftHead } from './DraftHead'
import { DraftMargin } from './DraftMargin'
import { DraftNotices } from './DraftNotices'
import { DraftSheets, type Sheet } from './DraftSheets'
import { DraftView } from './DraftView'
import { nextRegion } from './nextRegion'
import { Region } from './Region'
import { useDraft } from './useDraft'
import type { WantedNote } from './placedNotes'
import { usePlacedNotes } from './usePlacedNotes'
import { settingsErrors } from './useReport'
import { useWholeNotes } from './useWholeNotes'
import type { useWorkingCopy } from './useWorkingCopy'
import { valueOf } from './valueOf'
import { useView, VIEWS } from './view'
import { copyOf, type WorkingCopy } from './workingCopy'

const ClauseStories = lazy(async () => ({
  default: (await import('./ClauseStories')).ClauseStories,
}))

const NO_REASONS: Schemas['ReasonShape'][] = []

type Props = {
  version: Schemas['VersionDetail'] | undefined
  work: ReturnType<typeof useWorkingCopy>
  copy: WorkingCopy
}

/** The text under work, what is said of it in the margin, and every way of looking at it. */
export function Draft({ version, work, copy }: Props) {
  const { setInHand } = useFrame()
  const [view, setView] = useView()
  const [sheet, setSheet] = useState<Sheet | null>(null)
  const [proposals, setProposals] = useState<WantedNote[]>([])
  const { change, undo, redo } = work
  const draft = useDraft({ version, work, copy })
  const { brief, number, changed, report, cases, asking, take } = draft

  const sent = () => setView((v) => (v === 'As sent' ? 'Text' : 'As sent'))
  useKeys({
    'draft.save': () => changed && setSheet('save'),
    'draft.undo': undo,
    'draft.redo': redo,
    'draft.sent': sent,
    'draft.copy': () => void draft.copyAsSent(),
    'draft.files': () => setSheet('files'),
    'draft.compose': () => setSheet('drafting'),
    'draft.course': () => setSheet('course'),
    'draft.weights': () => setView('Weights'),
    'draft.region': nextRegion,
  })

  const errors = settingsErrors(report)
  const { views, holder, aside, notes, height } = usePlacedNotes({
    briefId: brief.id,
    report,
    ids: copy.messages.map((m) => m.id),
    more: proposals,
    settingsAmiss: Object.keys(errors).length > 0,
    reasons: version && version.parent === report?.parent ? version.reasons : NO_REASONS,
    onFix: draft.fix,
    onPutBack: (ids) => void draft.putBack(ids),
    onSideBySide: () => setView('Versions'),
  })
  const whole = useWholeNotes({
    ...{ brief: brief.id, number, asking, take },
    onQuestions: () => setSheet('questions'),
    onWeights: () => setView('Weights'),
  })

  return (
    <Tabs.Root
      value={view}
      onValueChange={(v) => setView(VIEWS.find((name) => name === v) ?? 'Text')}
      activationMode="manual"
      className={`grid min-h-full ${view === 'Weights' ? 'grid-cols-1' : 'grid-cols-[minmax(0,1fr)_17.5rem]'}`}
    >
      <div className="flex min-w-0 flex-col">
        <div
          ref={holder}
          data-region
          tabIndex={-1}
          className="min-w-0 flex-1 px-6 py-4 outline-none"
        >
          <DraftHead
            {...{ version, copy, report, changed }}
            brief={brief.id}
            next={draft.next}
            held={work.conflict !== null}
            onDrop={() => change(() => copyOf(version))}
            onSave={() => setSheet('save')}
            onMade={(made) => [work.forget(), setInHand(made)]}
          />
          <DraftBar
            {...{ view, errors }}
            said={draft.said}
            settings={copy.settings}
            onSettings={() => setSheet('settings')}
            onSent={sent}
            onFiles={() => setSheet('files')}
          />
          <DraftNotices
            work={work}
            copy={copy}
            number={number}
            brought={draft.brought}
            trouble={draft.problem}
            clauses={view === 'Text'}
          />
          <Tabs.Content value={view} tabIndex={-1} className="outline-none">
            {view === 'Text' ? (
              <>
                <ClausesView
                  copy={copy}
                  report={report}
                  views={views}
                  valueOf={(name) => valueOf(name, cases)}
                  names={draft.names}
                  change={change}
                  onClauses={draft.setStory}
                />
                <ClausesFoot
                  {...{ work, copy, take, report }}
                  onProposals={setProposals}
                  onCompose={() => setSheet('drafting')}
                />
              </>
            ) : (
              <DraftView {...{ view, setView, version, copy, change, changed, cases }} />
            )}
          </Tabs.Content>
        </div>
        {view === 'Text' && (
          <Region
            {...{ brief, version, copy, changed, cases, change }}
            against={draft.against}
            placeholders={report?.placeholders ?? []}
          />
        )}
      </div>
      <DraftMargin
        view={view}
        aside={aside}
        notes={[...whole, ...notes]}
        minHeight={height}
        {...{ brief, copy, views, changed, number }}
        first={
          changed && number !== null
            ? { words: `save what was changed since v${number}`, act: () => setSheet('save') }
            : null
        }
        onWeights={() => setView('Weights')}
        onCourse={() => setSheet('course')}
        proposed={proposals.length}
      />
      <DraftSheets
        close={() => setSheet(null)}
        {...{ sheet, copy, change, errors, changed, number, report, cases, asking, take }}
        task={brief.task}
        next={draft.next}
        forget={work.forget}
        onMade={setInHand}
        course={work.course}
        onBack={(former) => change(() => former, '', 'gone back to a former state')}
      />
      {draft.story !== null && (
        <Suspense fallback={null}>
          <ClauseStories
            story={draft.story}
            close={() => draft.setStory(null)}
            brief={brief.id}
            {...{ number, changed, report }}
          />
        </Suspense>
      )}
    </Tabs.Root>
  )
}
