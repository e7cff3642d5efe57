import { useState } from 'react'
import { Area, Button, Choice } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useTyped } from '@/parts/typed'
import type { Brief } from '../../frame'
import { CasePicker } from '../CasePicker'
import type { useCaseAt } from '../useCaseAt'
import { toRows, type WorkingCopy } from '../workingCopy'
import { AnswerView } from './AnswerView'
import { ModelPicks, useModels } from './ModelPicks'
import { usePrice } from './price'
import { type Job, useTries } from './useTries'

const MOST_VALUES = 50
const MOST_MODELS = 4

type Props = {
  brief: Brief
  copy: WorkingCopy
  cases: ReturnType<typeof useCaseAt>
  placeholders: string[]
}

/** One text over a list of values for one placeholder, the answers in a table. */
export function SweepView({ brief, copy, cases, placeholders }: Props) {
  const models = useModels()
  const [wanted, setWanted] = useTyped<number[] | null>(`sweep ${brief.id} models`, null)
  const [name, setName] = useTyped(`sweep ${brief.id} setting`, '')
  const [list, setList] = useTyped(`sweep ${brief.id}`, '')
  const [round, setRound] = useState<{
    name: string
    values: string[]
    models: number[]
    number: number
  } | null>(null)
  const { answers, run, running, stop } = useTries(brief.id)
  const chosen = (wanted ?? models.slice(0, 1).map((m) => m.id)).slice(0, MOST_MODELS)
  const swept = placeholders.includes(name) ? name : (placeholders[0] ?? '')
  const typed = list
    .split('\n')
    .map((v) => v.trim())
    .filter(Boolean)
  const values = [...new Set(typed)].slice(0, MOST_VALUES)
  const jobsOf = (number: number): Job[] =>
    values.flatMap((value, i) =>
      chosen.map((model) => ({
        key: `${number}|${i}|${model}`,
        model,
        messages: toRows(copy),
        settings: copy.settings,
        inputs: { ...cases.chosen?.inputs, [swept]: value },
        reference: null,
        repeat: 0,
      })),
    )
  const price = usePrice(brief.id, jobsOf(0))
  if (placeholders.length === 0) {
    return (
      <p className="text-sm text-soft">
        Several values go into a placeholder one after the other. Name one in the text, such as{' '}
        {'{{tone}}'}.
      </p>
    )
  }
  const go = () => {
    const number = (round?.number ?? 0) + 1
    setRound({ name: swept, values, models: chosen, number })
    void run(jobsOf(number))
  }
  const nameOf = (id: number) => models.find((m) => m.id === id)?.name ?? ''
  return (
    <div>
      <div className="mb-3 flex items-center gap-3 text-sm">
        <CasePicker cases={cases} />
        <span className="text-soft">
          {placeholders.length > 1 ? 'fills the other placeholders' : ''}
        </span>
        <span className="ml-auto flex gap-2">
          {running && (
            <Button kind="harm" onClick={stop}>
              Stop
            </Button>
          )}
          <Button
            kind="main"
            disabled={values.length === 0 || chosen.length === 0 || running}
            onClick={go}
          >
            Ask {plural(values.length * chosen.length, 'answer')}
            {price && `, ${price}`}
          </Button>
        </span>
      </div>
      <div className="mb-3 grid grid-cols-[12rem_minmax(0,1fr)] gap-4">
        <div className="grid content-start gap-2">
          <Choice label="Placeholder" value={swept} onChange={(e) => setName(e.target.value)}>
            {placeholders.map((p) => (
              <option key={p}>{p}</option>
            ))}
          </Choice>
        </div>
        <Area
          label={`Values, one on each line${typed.length > MOST_VALUES ? `; the first ${MOST_VALUES} are tried` : ''}`}
          rows={4}
          value={list}
          onChange={(e) => setList(e.target.value)}
        />
      </div>
      <div className="mb-4">
        <ModelPicks chosen={chosen} most={MOST_MODELS} onChange={setWanted} />
      </div>
      {round && (
        <table className="w-full table-fixed border-collapse text-left">
          <thead>
            <tr className="border-b border-rule-strong">
              <th className="w-36 py-1 pr-3 text-xs font-normal text-soft">{round.name}</th>
              {round.models.map((m) => (
                <th key={m} className="py-1 pr-4 font-serif text-base font-semibold">
                  {nameOf(m)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {round.values.map((value, i) => (
              <tr key={value} className="border-b border-rule align-top">
                <th dir="auto" className="py-2 pr-3 font-serif text-base font-normal break-words">
                  {value}
                </th>
                {round.models.map((m) => {
                  const a = answers[`${round.number}|${i}|${m}`]
                  return (
                    <td key={m} className="pr-4 [&>div]:border-0">
                      {a && <AnswerView answer={a} />}
                    </td>
                  )
                })}
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  )
}
