import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { casesQuery } from '@/api/datasets'
import { wishesQuery } from '@/api/wishes'
import { Button, Choice, ErrorLine } from '@/parts/controls'
import { Lacking } from '@/parts/Lacking'
import { plural } from '@/parts/numbers'
import { asText } from '@/parts/text'
import { datasetInHand } from '../../dataset'
import { useFrame } from '../../frame'
import { AnswerView } from '../try/AnswerView'
import { useModels } from '../try/ModelPicks'
import { usePrice } from '../try/price'
import { type Job, useTries } from '../try/useTries'
import { toRows, type WorkingCopy } from '../workingCopy'

const CASES = 3

type Props = {
  copy: WorkingCopy
  wishes: string[]
  messages: ReturnType<typeof toRows>
  /** Ids of the proposals that are tried together. */
  take: string[]
}

/** The text as it stands and with what is proposed, on three working cases, before anything is taken. */
export function WishTried({ copy, wishes, messages, take }: Props) {
  const { brief } = useFrame()
  const models = useModels()
  const [chosen, setChosen] = useState<number | null>(null)
  const [round, setRound] = useState<string[]>([])
  const dataset = datasetInHand(brief)
  const cases = useQuery({
    ...casesQuery(dataset?.id ?? 0, { split: 'working', offset: 0, limit: CASES }),
    enabled: dataset !== undefined,
  })
  const made = useQuery({ ...wishesQuery(brief.id, { messages, wishes, take }), retry: false })
  const { answers, run, running, stop } = useTries(brief.id)
  const model = models.find((m) => m.id === chosen) ?? models[0]
  const rows = cases.data?.cases ?? []
  const texts = [
    { side: 'as it stands', messages: messages as Job['messages'] },
    { side: 'with what is proposed', messages: (made.data?.messages ?? []) as Job['messages'] },
  ]
  const jobs = (mark: string): Job[] =>
    model === undefined
      ? []
      : rows.flatMap((c) =>
          texts.map(({ side, messages: text }) => ({
            key: `${mark}|${c.number}|${side}`,
            model: model.id,
            messages: text,
            settings: copy.settings,
            inputs: c.inputs,
            reference: c.reference,
            repeat: 0,
          })),
        )
  const price = usePrice(brief.id, made.data?.messages ? jobs('') : [])
  const go = () => {
    const mark = String(Date.now())
    setRound(rows.map((c) => `${mark}|${c.number}`))
    void run(jobs(mark))
  }
  const ways = [
    models.length === 0 && { words: 'add a model', to: '/models' },
    cases.data !== undefined &&
      rows.length === 0 && { words: 'bring working cases in', to: `/briefs/${brief.id}/cases` },
  ].filter((w) => w !== false)
  if (ways.length > 0) return <Lacking title="It cannot be tried yet." ways={ways} />
  return (
    <div className="mt-3 grid gap-2" aria-label="Tried on three cases">
      <div className="flex flex-wrap items-end gap-3">
        <Choice
          label="Try it with"
          className="w-56"
          value={model?.id ?? ''}
          onChange={(e) => setChosen(Number(e.target.value))}
        >
          {models.map((m) => (
            <option key={m.id} value={m.id}>
              {m.name}
              {m.simulated ? ' (simulated)' : ''}
            </option>
          ))}
        </Choice>
        <Button disabled={running || !made.data?.messages} onClick={go}>
          Try both on {plural(rows.length, 'case')}
          {price && `, ${price}`}
        </Button>
        {running && (
          <Button kind="harm" onClick={stop}>
            Stop
          </Button>
        )}
      </div>
      {made.isError && <ErrorLine>{inWords(made.error)}</ErrorLine>}
      {round.map((key) => (
        <TriedCase
          key={key}
          row={rows.find((c) => key.endsWith(`|${c.number}`))}
          sides={texts.map(({ side }) => ({ side, answer: answers[`${key}|${side}`] }))}
        />
      ))}
      {round.length > 0 && (
        <p className="text-xs text-soft">
          Three cases show whether the form is right; only a trial shows whether it is better.
        </p>
      )}
    </div>
  )
}

type TriedProps = {
  row: Schemas['CaseShape'] | undefined
  sides: { side: string; answer: ReturnType<typeof useTries>['answers'][string] | undefined }[]
}

function TriedCase({ row, sides }: TriedProps) {
  return (
    <div className="border-b border-rule pb-2">
      <p dir="auto" className="truncate font-serif text-sm text-soft">
        {row && `Case ${row.number}: ${Object.values(row.inputs).map(asText).join(' · ')}`}
      </p>
      <div className="grid grid-cols-2 gap-4">
        {sides.map(({ side, answer }) => (
          <div key={side} className="min-w-0 [&>div]:border-0">
            <p className="text-xs text-soft">{side}</p>
            {answer && <AnswerView answer={answer} />}
          </div>
        ))}
      </div>
    </div>
  )
}
