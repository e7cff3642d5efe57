import { Tabs } from 'radix-ui'
import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { useKeys } from '@/keys/useKeys'
import { useFrame } from '../frame'
import { SettingsRow } from '../settings/SettingsRow'
import { ClausesFoot } from './ClausesFoot'
import { ClauseStories } from './ClauseStories'
import { ClausesView } from './ClausesView'
import { DraftBar } from './DraftBar'
import { DraftHead } from './DraftHead'
import { DraftMargin } from './DraftMargin'
import { DraftNotices } from './DraftNotices'
import { DraftSheets, type Sheet } from './DraftSheets'
import { DraftView } from './DraftView'
import { useDraft } from './useDraft'
import type { WantedNote } from './placedNotes'
import { usePlacedNotes } from './usePlacedNotes'
import { settingsErrors } from './useReport'
import { useWholeNotes } from './useWholeNotes'
import type { useWorkingCopy } from './useWorkingCopy'
import { valueOf } from './valueOf'
import { useView, VIEWS, type View } from './view'
import { copyOf, type WorkingCopy } from './workingCopy'

const NO_REASONS: Schemas['ReasonShape'][] = []

type Props = {
  version: Schemas['VersionDetail'] | undefined
  work: ReturnType<typeof useWorkingCopy>
  copy: WorkingCopy
}

/** The text under work, what is said of it in the margin, and every way of looking at it. */
export function Draft({ version, work, copy }: Props) {
  const { setInHand, beside } = useFrame()
  const [view, setView] = useView()
  const [sheet, setSheet] = useState<Sheet | null>(null)
  const [pressed, setPressed] = useState(0)
  const [proposals, setProposals] = useState<WantedNote[]>([])
  const { change, undo, redo } = work
  const draft = useDraft({ version, work, copy })
  const { brief, number, changed, report, cases, asking, take } = draft

  useKeys({
    'draft.save': () => changed && setSheet('save'),
    'draft.undo': undo,
    'draft.redo': redo,
    'draft.sent': () => setView((v) => (v === 'As sent' ? 'Clauses' : 'As sent')),
    'draft.copy': () => void draft.copyAsSent(),
    'draft.pinned': () => [setView('Pinned'), setPressed((n) => n + 1)],
    'draft.files': () => setSheet('files'),
    'draft.compose': () => setSheet('drafting'),
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
    onSideBySide: () => setView('Beside'),
  })
  const whole = useWholeNotes({
    ...{ brief: brief.id, number, asking, take },
    onQuestions: () => setSheet('questions'),
    onWeights: () => setView('Weights'),
  })

  return (
    <Tabs.Root
      value={view}
      onValueChange={(v) => setView(VIEWS.find((name) => name === v) ?? 'Clauses')}
      activationMode="manual"
      className={`grid min-h-full ${view === 'Weights' ? 'grid-cols-1' : 'grid-cols-[minmax(0,1fr)_17.5rem]'}`}
    >
      <div ref={holder} className="min-w-0 self-start px-6 py-4">
        <DraftHead
          version={version}
          next={draft.next}
          changed={changed}
          held={work.conflict !== null}
          onDrop={() => change(() => copyOf(version))}
          onSave={() => setSheet('save')}
        />
        <DraftBar
          beside={beside}
          said={draft.said}
          onFiles={() => setSheet('files')}
          onCompose={() => setSheet('drafting')}
        />
        <DraftNotices
          work={work}
          copy={copy}
          number={number}
          brought={draft.brought}
          trouble={draft.problem}
          clauses={view === 'Clauses'}
        />
        <Tabs.Content value={view} tabIndex={-1} className="outline-none">
          {view === 'Clauses' ? (
            <>
              <ClausesView
                copy={copy}
                report={report}
                views={views}
                valueOf={(name) => valueOf(name, cases)}
                change={change}
                onClauses={draft.setStory}
              />
              <ClausesFoot
                {...{ work, cases, copy, take, report }}
                onProposals={setProposals}
                onCompose={() => setSheet('drafting')}
              />
            </>
          ) : (
            <DraftView
              view={view}
              setView={setView}
              brief={brief}
              version={version}
              copy={copy}
              change={change}
              changed={changed}
              against={draft.against}
              cases={cases}
              placeholders={report?.placeholders ?? []}
              pressed={pressed}
            />
          )}
        </Tabs.Content>
        {hasSettings(view) && (
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
      <DraftMargin
        view={view}
        aside={aside}
        notes={[...whole, ...notes]}
        minHeight={height}
        {...{ brief, copy, views, changed }}
        proposed={proposals.length}
      />
      <DraftSheets
        sheet={sheet}
        close={() => setSheet(null)}
        copy={copy}
        changed={changed}
        number={number}
        next={draft.next}
        report={report}
        cases={cases}
        asking={asking}
        take={take}
        forget={work.forget}
        onMade={setInHand}
      />
      <ClauseStories
        story={draft.story}
        close={() => draft.setStory(null)}
        brief={brief.id}
        number={number}
        changed={changed}
        report={report}
      />
    </Tabs.Root>
  )
}

/** Where the settings stand below: not beside another version's, and not where they have a place of their own. */
const hasSettings = (view: View) => !['Beside', 'Pinned', 'Weights'].includes(view)
