import { useState } from 'react'
import { Link } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { useKeys } from '@/keys/useKeys'
import { Area, Button, ErrorLine, TextAction } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { asText } from '@/parts/text'
import { intoCases } from '../../intoCases'
import { CasePicker } from '../CasePicker'
import { useModels } from '../try/ModelPicks'
import { usePrice } from '../try/price'
import type { Job } from '../try/useTries'
import { toRows } from '../workingCopy'
import { Missing, missingToAsk } from './missing'
import { Body, WaySentence, type WayProps } from './regionParts'
import { RowAnswers } from './RowAnswers'
import { MOST_ROWS, rowsOf } from './rows'
import { OfWhat, TryWalk } from './TryWalk'
import { modelsOf } from './useAsking'

const MOST_MODELS = 4

/** One text over lists of values for its placeholders; it goes on when the page is left. */
export function SeveralText(props: WayProps) {
  const { brief, version, copy, changed, cases, placeholders, form, setForm, asking } = props
  const models = useModels()
  const chosen = (
    form.models ??
    modelsOf(asking.known, models) ??
    models.slice(0, 1).map((m) => m.id)
  )
    .filter((id) => models.some((m) => m.id === id))
    .slice(0, MOST_MODELS)
  const lists = Object.fromEntries(placeholders.map((p) => [p, form.lists?.[p] ?? '']))
  const { rows, wanted } = rowsOf(lists, form.rowByRow ?? false, cases.chosen?.inputs ?? {})
  const swept = placeholders.filter((p) => lists[p]?.trim())
  const jobs: Job[] = rows.flatMap((inputs, row) =>
    chosen.map((model) => ({
      key: `${row}|${model}#${asking.count}`,
      model,
      settings: copy.settings,
      inputs,
      reference: null,
      repeat: asking.count % 10_000,
      row,
    })),
  )
  const missing = missingToAsk(copy, models, chosen, [
    placeholders.length === 0 && 'the text has no placeholder that values could go into',
    placeholders.length > 0 && rows.length === 0 && 'no value is there yet',
  ])
  const ready = missing.length === 0
  const sent = toRows(copy)
  const price = usePrice(brief.id, ready ? jobs : [], sent)
  const go = () => {
    if (!ready || asking.running) return
    const kept = rows.map((inputs) => ({ inputs, reference: null, case: null }))
    void asking.ask(
      jobs,
      { version: version?.number ?? null, changed, case: null, rows: kept },
      sent,
    )
  }
  useKeys({ 'draft.try': go })
  const shownRows = asking.rows ?? []
  const isMine = shownRows.length > 0 && shownRows.some((r) => r.case === null)
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
          {asking.running && (
            <Button small kind="harm" onClick={asking.stop}>
              Stop
            </Button>
          )}
          <Button kind="main" title="Ctrl Enter" disabled={!ready || asking.running} onClick={go}>
            Ask {plural(jobs.length, 'answer')}
            {price && `, ${price}`}
          </Button>
        </>,
      )}
      <Body height={props.height}>
        <Missing missing={missing} />
        <div className="mb-2 grid grid-cols-[repeat(auto-fit,minmax(12rem,1fr))] gap-3">
          {placeholders.map((name) => (
            <Area
              key={name}
              label={`Values of ${name}, one a line`}
              rows={3}
              dir="auto"
              value={lists[name] ?? ''}
              onChange={(e) => setForm({ lists: { ...lists, [name]: e.target.value } })}
            />
          ))}
        </div>
        <div className="mb-3 flex flex-wrap items-center gap-x-4 gap-y-1 text-sm">
          {swept.length > 1 && (
            <label className="flex items-center gap-2">
              <select
                aria-label="How values go together"
                className="h-7 rounded-sm border border-rule-strong bg-sheet px-1"
                value={form.rowByRow ? 'rows' : 'all'}
                onChange={(e) => setForm({ rowByRow: e.target.value === 'rows' })}
              >
                <option value="all">each with each</option>
                <option value="rows">row by row</option>
              </select>
            </label>
          )}
          <span className="text-soft">
            {rows.length > 0 && plural(rows.length, 'input')}
            {wanted > MOST_ROWS &&
              ` of ${count(wanted)}: the first ${MOST_ROWS} are asked. For more take them in as cases and plan a trial`}
            {swept.length < placeholders.length && cases.chosen && '; the other placeholders from'}
          </span>
          {swept.length < placeholders.length && <CasePicker cases={cases} />}
          {rows.length > 0 && <AsCases rows={rows} columns={placeholders} {...props} />}
        </div>
        {isMine && asking.tried && (
          <OfWhat tried={asking.tried} copy={copy} change={props.change} />
        )}
        {isMine && (
          <RowAnswers
            shown={asking.shown}
            order={shownRows.map((_, i) => i)}
            label={(row) => <Values inputs={shownRows[row]?.inputs ?? {}} names={swept} />}
            way={props}
            tried={asking.tried}
            onSay={asking.say}
          />
        )}
      </Body>
    </>
  )
}

/** The values that tell a row apart. */
function Values({ inputs, names }: { inputs: Record<string, unknown>; names: string[] }) {
  const told = names.length > 0 ? names : Object.keys(inputs)
  return (
    <span dir="auto" className="font-serif text-base">
      {told
        .map((name) => asText(inputs[name]))
        .filter(Boolean)
        .join(' · ')}
    </span>
  )
}

type CasesProps = Pick<WayProps, 'brief'> & { rows: Record<string, unknown>[]; columns: string[] }

/** All these inputs become working cases, in one press. */
function AsCases({ brief, rows, columns }: CasesProps) {
  const { write, pending, problem } = useWrite([...briefKeys(brief.id), ['cases']])
  const [said, setSaid] = useState('')
  const take = () =>
    void write(async () => {
      const names = [...new Set(columns.map((c) => c.split('.')[0] ?? c))]
      const edits = rows.map((inputs) => ({
        values: Object.fromEntries(names.map((n) => [n, asText(inputs[n])])),
      }))
      const name = await intoCases(brief, names, edits, 'values that were tried')
      setSaid(`${plural(rows.length, 'case')} taken into ${name}. `)
    })
  return (
    <>
      {said ? (
        <span role="status" className="text-soft">
          {said}
          <Link className="underline" to={`/briefs/${brief.id}/cases`}>
            See them
          </Link>
        </span>
      ) : (
        <TextAction light disabled={pending} onClick={take}>
          Take {rows.length === 1 ? 'it' : `these ${count(rows.length)}`} as cases
        </TextAction>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
    </>
  )
}
