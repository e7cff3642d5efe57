import { caseName } from '@/parts/caseName'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { differencesQuery, pinCase, pinsQuery } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { useVersion } from '@/api/versions'
import { KeyCaps } from '@/keys/KeyCaps'
import { useKeys } from '@/keys/useKeys'
import { Button, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { asText } from '@/parts/text'
import { WordChanges } from '@/parts/WordChanges'
import { CasePicker } from '../CasePicker'

import { useModels } from '../try/ModelPicks'
import { usePrice } from '../try/price'
import type { Job } from '../try/useTries'
import { toRows } from '../workingCopy'
import { Missing, missingToAsk } from './missing'
import { Body, WaySentence, type WayProps } from './regionParts'
import { RowAnswers } from './RowAnswers'
import { OfWhat, TryWalk } from './TryWalk'
import { modelsOf, type Shown, type Tried } from './useAsking'

const MOST = 12
const MOST_MODELS = 2
type Case = Schemas['CaseShape']

/** The text under work on the kept cases, beside what its parent answers; changed answers come first. */
export function KeptText({ pressed, ...props }: WayProps & { pressed: number }) {
  const { brief, version, copy, changed, against, cases, form, setForm, asking } = props
  const cache = useQueryClient()
  const models = useModels()
  const parent = useVersion(brief.id, against).data
  const pins = useQuery(pinsQuery(brief.id))
  const { write, problem } = useWrite()
  const chosen = (
    form.models ??
    modelsOf(asking.known, models) ??
    models.slice(0, 1).map((m) => m.id)
  )
    .filter((id) => models.some((m) => m.id === id))
    .slice(0, MOST_MODELS)
  const rows = pins.data?.cases
  const pin = (revision: number, pinned: boolean) =>
    void write(async () => {
      const now = await pinCase(brief.id, { revision, pinned })
      cache.setQueryData(['brief', brief.id, 'pins'], now)
    })
  const carried = parent ? carriedOf(asking.known, rows ?? [], parent.number, chosen) : []
  const jobs = (rows ?? []).flatMap((c, row) =>
    chosen.flatMap((model) => jobsOf(c, row, model, { ...props, parent, carried })),
  )
  const missing = missingToAsk(copy, models, chosen, [rows?.length === 0 && 'no case is kept yet'])
  const ready =
    missing.length === 0 && rows !== undefined && (against === null || parent !== undefined)
  const sent = toRows(copy)
  const price = usePrice(brief.id, ready ? jobs : [], sent)
  const go = () => {
    if (!ready || asking.running || !rows) return
    const kept = rows.map((c) => ({ inputs: c.inputs, reference: c.reference, case: c.number }))
    void asking.ask(
      jobs,
      { version: version?.number ?? null, changed, case: null, rows: kept, carry: carried },
      sent,
    )
  }
  useKeys({ 'draft.try': go })
  const latest = useRef(go)
  useEffect(() => {
    latest.current = go
  })
  const acted = useRef(0)
  useEffect(() => {
    // One key from anywhere in the draft brings this and asks.
    if (!ready || pressed === acted.current) return
    acted.current = pressed
    if (pressed > 0) latest.current()
  }, [pressed, ready])

  const isPinned =
    cases.chosen !== undefined && (rows ?? []).some((c) => c.revision === cases.chosen?.revision)
  if (pins.isPending) return <Waiting what="the kept cases" />
  return (
    <>
      {props.head(
        <WaySentence
          {...{ models, chosen }}
          to={props.to}
          setTo={props.setTo}
          most={MOST_MODELS}
          onModels={(ids) => setForm({ models: ids })}
        />,
        <>
          <TryWalk asking={asking} before={false} setBefore={() => undefined} />
          <KeyCaps of="draft.pinned" />
          {asking.running && (
            <Button small kind="harm" onClick={asking.stop}>
              Stop
            </Button>
          )}
          <Button kind="main" disabled={!ready || asking.running} onClick={go}>
            Ask {plural(rows?.length ?? 0, 'kept case')}
            {price && `, ${price}`}
          </Button>
        </>,
      )}
      <Body height={props.height}>
        <Missing missing={missing} />
        <div className="mb-2 flex flex-wrap items-center gap-3 border-b border-rule pb-2 text-sm">
          {cases.chosen && (
            <span className="ml-auto flex items-center gap-3">
              <CasePicker cases={cases} />
              <Button
                small
                lacks={[
                  !isPinned &&
                    (rows?.length ?? 0) >= MOST &&
                    `${MOST} are kept already: let one go`,
                ]}
                onClick={() => cases.chosen && pin(cases.chosen.revision, !isPinned)}
              >
                {isPinned ? 'Let it go' : `Keep it (${rows?.length ?? 0} of ${MOST})`}
              </Button>
            </span>
          )}
        </div>
        {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
        {rows?.length === 0 && (
          <p className="text-sm text-soft">
            Step to a case that the text must get right, keep it, and from then on one key shows
            what a change does to it. A few cases are no measure: what reads well on twelve may be
            luck.
          </p>
        )}
        <KeptAnswers {...props} kept={rows ?? []} onLetGo={(revision) => pin(revision, false)} />
      </Body>
    </>
  )
}

type KeptProps = WayProps & { kept: Case[]; onLetGo: (revision: number) => void }

/** What was answered to kept cases, the changed ones first; before that the cases alone. */
function KeptAnswers({ kept, onLetGo, ...props }: KeptProps) {
  const { asking, copy } = props
  const rows = asking.rows ?? []
  const isMine = rows.length > 0 && rows.every((r) => r.case !== null)
  const inputOf = (inputs: Record<string, unknown>) =>
    Object.values(inputs).map(asText).filter(Boolean).join(' · ')
  if (!isMine)
    return (
      <ul>
        {kept.map((c) => (
          <li key={c.revision} className="flex items-baseline gap-3 border-b border-rule py-1.5">
            <strong className="shrink-0 text-sm">Case {caseName(c)}</strong>
            <span dir="auto" className="min-w-0 flex-1 truncate font-serif text-sm text-soft">
              {inputOf(c.inputs)}
            </span>
            <TextAction light className="text-xs" onClick={() => onLetGo(c.revision)}>
              Let it go
            </TextAction>
          </li>
        ))}
      </ul>
    )
  const pairs = rows.map((_, row) => pairOf(asking.shown, row))
  const besides = [...new Set(asking.shown.flatMap((s) => (s.of === null ? [] : [s.of])))]
  const done = !asking.running
  const order = rows.map((_, i) => i)
  if (done) order.sort((a, b) => Number(differs(pairs[b])) - Number(differs(pairs[a])))
  return (
    <>
      {asking.tried && <OfWhat tried={asking.tried} copy={copy} change={props.change} />}
      {done && besides.length > 0 && (
        <p className="text-sm text-soft">
          {pairs.filter(differs).length} of {plural(rows.length, 'answer')} differ from v
          {besides.join(', v')}
        </p>
      )}
      <RowAnswers
        shown={asking.shown}
        order={order}
        label={(row) => (
          <>
            <strong>Case {rows[row]?.case}</strong>
            {done && pairs[row]?.before && (
              <span
                className={`block text-xs ${differs(pairs[row]) ? 'font-semibold text-attention-text' : 'text-soft'}`}
              >
                {differs(pairs[row]) ? 'changed' : 'the same'}
              </span>
            )}
            <span dir="auto" className="line-clamp-4 font-serif text-soft">
              {inputOf(rows[row]?.inputs ?? {})}
            </span>
            {done && differs(pairs[row]) && <WhatChanged pair={pairs[row]} />}
          </>
        )}
        way={props}
        tried={asking.tried}
        onSay={asking.say}
      />
    </>
  )
}

type Pair = { now: Shown | undefined; before: Shown | undefined }

/** The first model's answer to a row, by the text and by the saved version beside it. */
function pairOf(shown: Shown[], row: number): Pair {
  const now = shown.find((s) => s.row === row && s.of === null)
  return {
    now,
    before: shown.find((s) => s.row === row && s.of !== null && s.model === now?.model),
  }
}

function differs(pair: Pair | undefined): boolean {
  const now = pair?.now?.answer.result
  const before = pair?.before?.answer.result
  return !!now && !!before && now.text.trim() !== before.text.trim()
}

function WhatChanged({ pair }: { pair: Pair | undefined }) {
  const texts = [pair?.before?.answer.text ?? '', pair?.now?.answer.text ?? '']
  const found = useQuery({ ...differencesQuery({ texts }), staleTime: Infinity })
  // The commonest comes first; of two different ones that is the first given, the parent's.
  const words = found.data?.[1]?.words ?? []
  if (words.length === 0) return null
  return (
    <span className="mt-1 block max-h-32 overflow-y-auto text-xs">
      <WordChanges words={words} />
    </span>
  )
}

type Carried = Schemas['CarriedAnswer']

/** What the saved version beside it answered before, of the try that is shown: it does not change. */
function carriedOf(tried: Tried | null, rows: Case[], parent: number, models: number[]): Carried[] {
  if (!tried) return []
  return rows.flatMap((c, row) =>
    models.flatMap((model) => {
      const found = tried.answers.find((a) => {
        const of = a.row === null ? null : tried.rows[a.row]
        return (
          a.of === parent &&
          a.model === model &&
          a.result !== null &&
          of?.case === c.number &&
          JSON.stringify(of.inputs) === JSON.stringify(c.inputs)
        )
      })
      return found ? [{ number: tried.number, key: found.key, row }] : []
    }),
  )
}

type Given = WayProps & {
  parent: Schemas['VersionDetail'] | undefined
  carried: Carried[]
}

/** The text's own call for a case, and the saved version's where that is not known. */
function jobsOf(c: Case, row: number, model: number, given: Given): Job[] {
  const { copy, asking, parent, carried } = given
  const base = { model, inputs: c.inputs, reference: c.reference, repeat: 0, row }
  const own = { ...base, key: `${row}|${model}#${asking.count}`, settings: copy.settings }
  const has = carried.some(
    (k) => k.row === row && asking.known?.answers.find((a) => a.key === k.key)?.model === model,
  )
  if (!parent || has) return [own]
  return [
    own,
    {
      ...base,
      key: `${row}|${model}|v${parent.number}#${asking.count}`,
      messages: parent.messages,
      settings: parent.settings,
      of: parent.number,
    },
  ]
}
