import { lazy, Suspense, useState } from 'react'
import { useVersion } from '@/api/versions'
import { useKeys } from '@/keys/useKeys'
import { Button } from '@/parts/controls'
import { asText } from '@/parts/text'
import { columnsOf } from '../try/columns'
import { useModels } from '../try/ModelPicks'
import { usePrice } from '../try/price'
import { TypedCase } from '../try/TypedCase'
import type { Job } from '../try/useTries'
import { stepsOf, toRows } from '../workingCopy'
import { AnswerColumns } from './AnswerColumns'
import { Asked } from './Asked'
import { Missing, missingToAsk } from './missing'
import { Body, type WayProps } from './regionParts'
import { alone, StepChoice, StepInputs } from './StepAlone'
import { OfWhat, TryWalk } from './TryWalk'
import { modelsOf } from './useAsking'

// Only where two tries are looked at together.
const TryBefore = lazy(async () => ({ default: (await import('./TryBefore')).TryBefore }))

const MOST_COLUMNS = 6

/** The text under work asked for real, and its answers, which stay with the brief. */
export function AskedText(props: WayProps & { to: 'case' | 'typed' }) {
  const { brief, version, copy, changed, against, cases, placeholders, to, height } = props
  const { form, setForm, asking, head } = props
  const models = useModels()
  const parent = useVersion(brief.id, against).data
  const { tried, known } = asking
  const [before, setBefore] = useState(false)
  const { variants = [], many = 1, besides = false } = form
  const steps = stepsOf(copy.messages)
  // One step alone is asked from what the steps before it answered.
  const step = form.step && steps.includes(form.step) ? form.step : ''
  const only = step ? alone(copy, step, form.stepInputs ?? {}) : null

  const chosen = (
    form.models ??
    modelsOf(known, models) ??
    models.slice(0, 2).map((m) => m.id)
  ).filter((id) => models.some((m) => m.id === id))
  // What was typed for the last try, on whatever machine, is where the next begins.
  const text = form.typed ?? (known && known.case === null ? asTyped(known.inputs) : {})
  const own: Record<string, unknown> =
    to === 'typed'
      ? Object.fromEntries(placeholders.map((p) => [p, text[p] ?? '']))
      : (cases.chosen?.inputs ?? {})
  const inputs = only ? { ...own, ...only.inputs } : own
  const asked = only ? { ...copy, messages: only.messages } : copy
  const columns = columnsOf(
    asked,
    chosen,
    models,
    variants,
    besides && !only ? parent : undefined,
  ).slice(0, besides ? MOST_COLUMNS * 2 : MOST_COLUMNS)
  const jobs: Job[] = columns.flatMap((c) =>
    Array.from({ length: many }, (_, i) => ({
      key: `${c.id}#${asking.count}.${i}`,
      model: c.model,
      ...(c.saved ? { messages: c.messages ?? [] } : {}),
      settings: c.settings,
      inputs,
      reference: to === 'case' ? (cases.chosen?.reference ?? null) : null,
      // Another answer to the same question: the seed sent is another one, the former answers stay.
      repeat: (asking.count * many + i) % 10_000,
      of: c.saved ? against : null,
    })),
  )
  const missing = missingToAsk(copy, models, chosen)
  const ready = missing.length === 0
  const sent = toRows(asked)
  const price = usePrice(brief.id, ready ? jobs : [], sent)
  const go = () => {
    if (!ready || asking.running) return
    const number = to === 'case' ? (cases.chosen?.number ?? null) : null
    void asking.ask(jobs, { version: version?.number ?? null, changed, case: number, step }, sent)
  }
  useKeys({ 'draft.try': go })
  return (
    <>
      {head(
        <Asked
          {...{ cases, chosen, models, variants, many, besides, to }}
          setTo={props.setTo}
          settings={copy.settings}
          parent={parent?.number ?? null}
          onModels={(ids) => setForm({ models: ids })}
          onVariants={(v) => setForm({ variants: v })}
          onMany={(n) => setForm({ many: n })}
          onBesides={(on) => setForm({ besides: on })}
          mostModels={MOST_COLUMNS}
          steps={<StepChoice {...{ steps, step }} onStep={(s) => setForm({ step: s })} />}
        />,
        <>
          <TryWalk {...{ asking, before, setBefore }} />
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
        <Missing missing={missing} />
        {to === 'typed' && (
          <TypedCase
            names={placeholders}
            values={Object.fromEntries(placeholders.map((p) => [p, asText(own[p])]))}
            onChange={(values) => setForm({ typed: values })}
          />
        )}
        {only && (
          <StepInputs
            reads={only.reads}
            values={form.stepInputs ?? {}}
            onChange={(stepInputs) => setForm({ stepInputs })}
          />
        )}
        {tried && <OfWhat {...{ tried, copy }} change={props.change} />}
        {!asking.asking && asking.isRead && asking.count === 0 && ready && (
          <p className="text-sm text-soft">
            The text as it stands, saved or not, goes out as real calls. What comes back stays here.
          </p>
        )}
        {before && tried && tried.number > 1 && (
          <Suspense fallback={null}>
            <TryBefore brief={brief.id} number={tried.number - 1} />
          </Suspense>
        )}
        <AnswerColumns
          shown={asking.shown}
          onSay={asking.say}
          {...(tried ? { way: props, tried } : {})}
        />
      </Body>
    </>
  )
}

const asTyped = (inputs: Record<string, unknown>) =>
  Object.fromEntries(Object.entries(inputs).map(([k, v]) => [k, asText(v)]))
