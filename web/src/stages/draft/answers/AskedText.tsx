import { useQuery } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import { Link } from 'react-router'
import { inWords } from '@/api/client'
import { triesQuery } from '@/api/drafts'
import { useVersion } from '@/api/versions'
import { useKeys } from '@/keys/useKeys'
import { Button, ErrorLine, TextAction } from '@/parts/controls'
import { inAList } from '@/parts/numbers'
import { asText } from '@/parts/text'
import { useTyped } from '@/parts/typed'
import { columnsOf } from '../try/columns'
import { useModels } from '../try/ModelPicks'
import { usePrice } from '../try/price'
import type { Variant } from '../try/SettingsVariants'
import { TypedCase } from '../try/TypedCase'
import type { Job } from '../try/useTries'
import { fromRows, toRows } from '../workingCopy'
import { AnswerColumns } from './AnswerColumns'
import { Body, type RegionProps, type To } from './regionParts'
import { Asked } from './Asked'
import { shownOf, type Tried, useAsking } from './useAsking'

const MOST_COLUMNS = 6

type Props = RegionProps & {
  to: 'case' | 'typed'
  setTo: (to: To) => void
  head: (words: ReactNode, right: ReactNode) => ReactNode
  /** null: it is folded. */
  height: number | null
}

/** The text under work asked for real, and its answers, which stay with the brief. */
export function AskedText(props: Props) {
  const { brief, version, copy, changed, against, cases, placeholders, to, head, height } = props
  const models = useModels()
  const parent = useVersion(brief.id, against).data
  const asking = useAsking(brief.id, models)
  const { tried, last } = asking
  const [wanted, setWanted] = useTyped<number[] | null>(`try ${brief.id} models`, null)
  const [variants, setVariants] = useTyped<Variant[]>(`try ${brief.id} settings`, [])
  const [besides, setBesides] = useState(false)
  const [many, setMany] = useTyped(`try ${brief.id} many`, 1)
  const [typed, setTyped] = useTyped<Record<string, string> | null>(`try ${brief.id} typed`, null)
  const [before, setBefore] = useState(false)

  const chosen = wanted ?? (modelsOf(last, models) || models.slice(0, 2).map((m) => m.id))
  // What was typed for the last try, on whatever machine, is where the next begins.
  const text = typed ?? (last && last.case === null ? asTyped(last.inputs) : {})
  const inputs: Record<string, unknown> =
    to === 'typed'
      ? Object.fromEntries(placeholders.map((p) => [p, text[p] ?? '']))
      : (cases.chosen?.inputs ?? {})
  const columns = columnsOf(copy, chosen, models, variants, besides ? parent : undefined).slice(
    0,
    besides ? MOST_COLUMNS * 2 : MOST_COLUMNS,
  )
  const jobs: Job[] = columns.flatMap((c) =>
    Array.from({ length: many }, (_, i) => ({
      key: `${c.id}#${asking.count}.${i}`,
      model: c.model,
      messages: c.messages,
      settings: c.settings,
      inputs,
      reference: to === 'case' ? (cases.chosen?.reference ?? null) : null,
      // Another answer to the same question: the seed sent is another one, the former answers stay.
      repeat: (asking.count * many + i) % 10_000,
      of: c.saved ? against : null,
    })),
  )
  const empty = copy.messages.every((m) => !m.content.trim())
  const missing = [
    models.length === 0 && (
      <span key="models">
        no model is there to answer:{' '}
        <Link className="underline" to="/models">
          add one
        </Link>
      </span>
    ),
    models.length > 0 && chosen.length === 0 && <span key="chosen">no model is chosen</span>,
    empty && <span key="text">the text is empty</span>,
  ].filter(Boolean)
  const ready = missing.length === 0
  const price = usePrice(brief.id, ready ? jobs : [])
  const go = () => {
    if (!ready || asking.running) return
    void asking.ask(jobs, {
      version: version?.number ?? null,
      changed,
      case: to === 'case' ? (cases.chosen?.number ?? null) : null,
    })
  }
  useKeys({ 'draft.try': go })
  return (
    <>
      {head(
        <Asked
          {...{ cases, chosen, models, variants, many, besides, to }}
          setTo={props.setTo}
          parent={parent?.number ?? null}
          onModels={setWanted}
          onVariants={setVariants}
          onMany={setMany}
          onBesides={setBesides}
          mostModels={MOST_COLUMNS}
        />,
        <>
          <Former {...{ asking, before, setBefore }} />
          {asking.running && (
            <Button small kind="harm" onClick={asking.stop}>
              Stop
            </Button>
          )}
          <Button kind="main" title="Ctrl Enter" disabled={!ready || asking.running} onClick={go}>
            Ask{jobs.length > 1 ? ` ${jobs.length}` : ''}
            {price && `, ${price}`}
          </Button>
        </>,
      )}
      <Body height={height}>
        {missing.length > 0 && (
          <p className="text-sm text-attention-text">
            Nothing can be asked yet:{' '}
            {missing.map((m, i) => (
              <span key={i}>
                {i > 0 && '; '}
                {m}
              </span>
            ))}
            .
          </p>
        )}
        {asking.problem !== null && <ErrorLine>{inWords(asking.problem)}</ErrorLine>}
        {to === 'typed' && (
          <TypedCase
            names={placeholders}
            values={Object.fromEntries(placeholders.map((p) => [p, asText(inputs[p])]))}
            onChange={setTyped}
          />
        )}
        {tried && <OfWhat {...{ tried, copy: toRows(copy) }} onText={() => bring(props, tried)} />}
        {!asking.asking && asking.isRead && asking.count === 0 && ready && (
          <p className="text-sm text-soft">
            The text as it stands, saved or not, goes out as real calls. What comes back stays here.
          </p>
        )}
        {before && tried && tried.number > 1 && (
          <Before brief={brief.id} number={tried.number - 1} />
        )}
        <AnswerColumns shown={asking.shown} onSay={asking.say} {...props} tried={tried} />
      </Body>
    </>
  )
}

/** The models of a former try that are still there; null where it had none of them. */
function modelsOf(tried: Tried | null, models: { id: number }[]): number[] | null {
  const there = new Set(models.map((m) => m.id))
  const found = [...new Set((tried?.answers ?? []).map((a) => a.model))].filter((m) => there.has(m))
  return found.length > 0 ? found : null
}

const asTyped = (inputs: Record<string, unknown>) =>
  Object.fromEntries(Object.entries(inputs).map(([k, v]) => [k, asText(v)]))

function bring({ change }: Props, tried: Tried) {
  change((c) => ({
    ...c,
    messages: fromRows(tried.messages, c.messages),
    settings: tried.settings,
  }))
}

type FormerProps = {
  asking: ReturnType<typeof useAsking>
  before: boolean
  setBefore: (on: boolean) => void
}

/** ‹ try 5 of 9 ›, and the one before it beside it. */
function Former({ asking, before, setBefore }: FormerProps) {
  const { tried, count, go } = asking
  const to = (n: number) => n >= 1 && n <= count && go(n === count ? null : n)
  useKeys({
    'draft.former_try': () => tried && to(tried.number - 1),
    'draft.later_try': () => tried && to(tried.number + 1),
  })
  if (!tried || count < 2) return null
  return (
    <span className="flex items-center gap-1 text-xs text-soft">
      <button
        type="button"
        aria-label="the try before"
        className="px-1 hover:text-ink disabled:opacity-40"
        disabled={tried.number <= 1}
        onClick={() => to(tried.number - 1)}
      >
        ‹
      </button>
      <span role="status">
        try {tried.number} of {count}
      </span>
      <button
        type="button"
        aria-label="the try after"
        className="px-1 hover:text-ink disabled:opacity-40"
        disabled={tried.number >= count}
        onClick={() => to(tried.number + 1)}
      >
        ›
      </button>
      {tried.number > 1 && (
        <TextAction light aria-pressed={before} onClick={() => setBefore(!before)}>
          {before ? 'alone' : 'beside the one before'}
        </TextAction>
      )}
    </span>
  )
}

/** Of which text and input the answers are, where they are not of what stands above. */
function OfWhat({
  tried,
  copy,
  onText,
}: {
  tried: Tried
  copy: ReturnType<typeof toRows>
  onText: () => void
}) {
  const same =
    JSON.stringify(tried.messages.map((m) => [m.role, m.content])) ===
    JSON.stringify(copy.map((m) => [m.role, m.content]))
  const input = Object.values(tried.inputs).map(asText).filter(Boolean).join(' · ')
  return (
    <p className="mb-2 flex flex-wrap items-baseline gap-x-3 text-xs text-soft">
      <span dir="auto" className="max-w-full min-w-0 truncate">
        to {tried.case === null ? 'what was typed' : `case ${tried.case}`}
        {input && `: ${input}`}
      </span>
      {!same && (
        <span>
          of another text
          {tried.version !== null &&
            ` (v${tried.version}${tried.changed ? ', changed' : ''})`}:{' '}
          <TextAction light onClick={onText}>
            bring it back
          </TextAction>
        </span>
      )}
    </p>
  )
}

/** The answers of the try before, for before and after. */
function Before({ brief, number }: { brief: number; number: number }) {
  const found = useQuery(triesQuery(brief, number)).data?.found
  if (!found) return null
  const names = inAList([...new Set(found.answers.map((a) => a.model_name))])
  return (
    <section aria-label={`Try ${number}`} className="mb-3 border-b border-rule pb-2">
      <p className="text-xs text-soft">
        Before, try {number}, {names}:
      </p>
      <AnswerColumns shown={shownOf(found)} />
    </section>
  )
}
