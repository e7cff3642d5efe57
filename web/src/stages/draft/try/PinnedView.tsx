import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useRef, useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { differencesQuery, pinCase, pinsQuery } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { useVersion } from '@/api/versions'
import { KeyCaps } from '@/keys/KeyCaps'
import { Button, Choice, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import type { Brief } from '../../frame'
import { CasePicker } from '../CasePicker'
import { WordChanges } from '../notes'
import type { useCaseAt } from '../useCaseAt'
import { toRows, type WorkingCopy } from '../workingCopy'
import { AnswerView, Form, Scores, Taken } from './AnswerView'
import { useModels } from './ModelPicks'
import { usePrice } from './price'
import { type Answer, type Job, useTries } from './useTries'

const MOST = 12
type Case = Schemas['CaseShape']
type Round = {
  number: number
  parentKeys: Record<number, string>
  done: boolean
  parent: number | null
}
type Props = {
  brief: Brief
  copy: WorkingCopy
  against: number | null
  cases: ReturnType<typeof useCaseAt>
  pressed: number
}

// What a saved version answered does not change: it is asked once for each case while this page is open.
const known = new Map<string, Answer>()

/** The text under work on the kept cases, beside what its parent answers; changed answers come first. */
export function PinnedView({ brief, copy, against, cases, pressed }: Props) {
  const cache = useQueryClient()
  const models = useModels()
  const parent = useVersion(brief.id, against).data
  const pins = useQuery(pinsQuery(brief.id))
  const [wanted, setWanted] = useState<number | null>(null)
  const { write, problem } = useWrite()
  const [round, setRound] = useState<Round | null>(null)
  const { answers, run, running, stop } = useTries(brief.id)
  const model = wanted ?? models[0]?.id ?? null
  const rows = pins.data?.cases
  const pin = (revision: number, pinned: boolean) =>
    write(async () => {
      const now = await pinCase(brief.id, { revision, pinned })
      cache.setQueryData(['brief', brief.id, 'pins'], now)
    })
  const jobsOf = useCallback(
    (number: number): Job[] => {
      if (model === null || !rows) return []
      const base = (c: Case) => ({ model, inputs: c.inputs, reference: c.reference, repeat: 0 })
      const own = rows.map((c) => ({
        ...base(c),
        key: `${number}|${c.revision}`,
        messages: toRows(copy),
        settings: copy.settings,
      }))
      // What the parent answered is known once it was asked.
      const beside = parent
        ? rows
            .map((c) => ({
              ...base(c),
              key: parentKey(brief.id, parent.number, model, c),
              messages: parent.messages,
              settings: parent.settings,
            }))
            .filter((job) => !known.get(job.key)?.result)
        : []
      return [...own, ...beside]
    },
    [brief.id, copy, model, parent, rows],
  )
  const price = usePrice(brief.id, jobsOf(0))
  const go = useCallback(async () => {
    if (model === null || !rows?.length) return
    const number = Date.now()
    const parentKeys = Object.fromEntries(
      rows.map((c) => [c.revision, parentKey(brief.id, parent?.number, model, c)]),
    )
    const jobs = jobsOf(number)
    setRound({ number, parentKeys, done: false, parent: parent?.number ?? null })
    const done = await run(jobs)
    for (const a of Object.values(done))
      if (a.result && a.result.outcome !== 'failed') known.set(a.key, a)
    setRound((r) => (r?.number === number ? { ...r, done: true } : r))
  }, [brief.id, jobsOf, model, parent, rows, run])
  const latest = useRef(go)
  useEffect(() => {
    latest.current = go
  })
  const ready = rows !== undefined && model !== null && (against === null || parent !== undefined)
  const acted = useRef(0)
  useEffect(() => {
    // One key from anywhere in the draft brings this view and runs it.
    if (!ready || pressed === acted.current) return
    acted.current = pressed
    if (pressed > 0) void latest.current()
  }, [pressed, ready])

  const answered = (rows ?? []).map((c) => ({
    row: c,
    now: round ? answers[`${round.number}|${c.revision}`] : undefined,
    before: round
      ? (known.get(round.parentKeys[c.revision] ?? '') ??
        answers[round.parentKeys[c.revision] ?? ''])
      : undefined,
  }))
  const changedFirst = round?.done
    ? [...answered].sort((a, b) => Number(differs(b)) - Number(differs(a)))
    : answered
  const differing = answered.filter(differs).length
  const isPinned =
    cases.chosen !== undefined && (rows ?? []).some((c) => c.revision === cases.chosen?.revision)
  if (pins.isPending) return <Waiting what="the kept cases" />
  return (
    <div>
      <div className="mb-3 flex items-end gap-3 text-sm">
        <ModelChoice models={models} model={model} onChange={setWanted} />
        <span className="pb-1.5 text-soft">
          {round?.done
            ? round.parent === null
              ? plural(answered.length, 'answer')
              : `${differing} of ${answered.length} answers differ from v${round.parent}`
            : against === null
              ? 'no parent to compare with'
              : `beside v${against}`}
        </span>
        <span className="ml-auto flex items-center gap-2">
          <KeyCaps of="draft.pinned" />
          {running && (
            <Button kind="harm" onClick={stop}>
              Stop
            </Button>
          )}
          <Button
            kind="main"
            disabled={!rows?.length || model === null || running}
            onClick={() => void go()}
          >
            Ask {plural(rows?.length ?? 0, 'kept case')}
            {price && `, ${price}`}
          </Button>
        </span>
      </div>
      {cases.chosen && (
        <div className="mb-4 flex items-center gap-3 border-b border-rule pb-3 text-sm">
          <CasePicker cases={cases} />
          <span className="min-w-0 flex-1 truncate font-serif text-soft">
            {textOf(cases.chosen)}
          </span>
          <Button
            disabled={!isPinned && (rows?.length ?? 0) >= MOST}
            onClick={() => cases.chosen && void pin(cases.chosen.revision, !isPinned)}
          >
            {isPinned ? 'Let it go' : `Keep it (${rows?.length ?? 0} of ${MOST})`}
          </Button>
        </div>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {rows?.length === 0 && (
        <p className="text-sm text-soft">
          No case is kept yet. Step to one that the text must get right, keep it, and from then on
          one key shows what a change does to it. A few cases are no measure: what reads well on
          twelve may be luck.
        </p>
      )}
      <ul>
        {changedFirst.map(({ row, now, before }) => (
          <PinnedRow
            key={row.revision}
            row={row}
            now={now}
            before={before}
            round={round}
            onLetGo={() => void pin(row.revision, false)}
          />
        ))}
      </ul>
    </div>
  )
}

const parentKey = (brief: number, parent: number | undefined, model: number, c: Case) =>
  `${brief}|${parent}|${model}|${c.revision}`

function differs({
  now,
  before,
}: {
  now?: Answer | undefined
  before?: Answer | undefined
}): boolean {
  return (
    now?.result !== null &&
    before?.result !== null &&
    now !== undefined &&
    before !== undefined &&
    now.text.trim() !== before.text.trim()
  )
}

function Changed({ now, before, parent }: { now: Answer; before: Answer; parent: number }) {
  const texts = [before.text, now.text]
  const found = useQuery({ ...differencesQuery({ texts }), staleTime: Infinity })
  // The commonest comes first; of two different ones that is the first given, the parent's.
  const words = found.data?.[1]?.words ?? []
  return (
    <div className="mt-1 grid grid-cols-2 gap-5">
      {[
        { title: `v${parent}`, answer: before, text: null },
        { title: 'as it stands', answer: now, text: words },
      ].map((side) => (
        <div key={side.title} className="min-w-0">
          <p className="text-xs text-soft">{side.title}</p>
          <pre
            dir="auto"
            className="max-h-72 overflow-y-auto font-mono text-sm whitespace-pre-wrap break-words"
          >
            {side.text ? (
              side.text.length ? (
                <WordChanges words={side.text} whole />
              ) : (
                side.answer.text
              )
            ) : (
              side.answer.text
            )}
          </pre>
          {side.answer.result && <Taken result={side.answer.result} />}
          {side.answer.result && <Form result={side.answer.result} />}
          {side.answer.result && <Scores result={side.answer.result} />}
        </div>
      ))}
    </div>
  )
}

function textOf(c: Case): string {
  return Object.values(c.inputs)
    .filter((v) => v !== null && v !== '')
    .map(String)
    .join(' · ')
}

type RowProps = {
  row: Case
  now: Answer | undefined
  before: Answer | undefined
  round: Round | null
  onLetGo: () => void
}

/** One pinned case with its answer, or with what changed in it. */
function PinnedRow({ row, now, before, round, onLetGo }: RowProps) {
  return (
    <li className="border-b border-rule py-2">
      <p className="flex items-baseline gap-3 text-sm">
        <strong className="shrink-0">Case {row.number}</strong>
        <span dir="auto" className="min-w-0 flex-1 truncate font-serif text-soft">
          {textOf(row)}
        </span>
        {round?.done && before && now && (
          <span
            className={`shrink-0 text-xs ${differs({ now, before }) ? 'font-semibold text-attention-text' : 'text-soft'}`}
          >
            {differs({ now, before }) ? 'changed' : 'the same'}
          </span>
        )}
        <TextAction light className="shrink-0 text-xs" onClick={onLetGo}>
          Let it go
        </TextAction>
      </p>
      {now &&
        (before && round?.done && now.result && before.result && differs({ now, before }) ? (
          <Changed now={now} before={before} parent={round.parent ?? 0} />
        ) : (
          <div className="[&>div]:border-0">
            <AnswerView answer={now} />
          </div>
        ))}
    </li>
  )
}

type ModelProps = {
  models: Schemas['ModelShape'][]
  model: number | null
  onChange: (id: number) => void
}

function ModelChoice({ models, model, onChange }: ModelProps) {
  return (
    <Choice
      label="Model"
      className="w-56"
      value={model ?? ''}
      onChange={(e) => onChange(Number(e.target.value))}
    >
      {models.map((m) => (
        <option key={m.id} value={m.id}>
          {m.name}
          {m.simulated ? ' (simulated)' : ''}
        </option>
      ))}
    </Choice>
  )
}
