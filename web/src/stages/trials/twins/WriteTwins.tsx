import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { keepTwins, listTwinsQuery } from '@/api/twins'
import { useWrite } from '@/api/useWrite'
import { ConsultationPanel } from '@/parts/consult/ConsultationPanel'
import { useConsultation } from '@/parts/consult/useConsultation'
import { Area, Button, ErrorLine, Field, TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useTyped } from '@/parts/typed'
import { WordChanges } from '@/parts/WordChanges'
import { useFrame } from '../../frame'
import { datasetInHand } from '../../dataset'

type Written = Schemas['WrittenTwinShape']

const KINDS: [Written['kind'], string][] = [
  ['reworded', 'the same in other words'],
  ['there-and-back', 'as out of another language and back'],
  ['harder', 'harder to read'],
  ['border', 'at the border of another answer'],
]

/** A model writes twins of some cases; each is read beside its case, changed, taken or left. */
export function WriteTwins({ onMade }: { onMade: (set: number) => void }) {
  const { brief } = useFrame()
  const dataset = datasetInHand(brief)
  const [many, setMany] = useTyped(`twins ${brief.id} many`, '5')
  const [without, setWithout] = useState<string[]>([])
  const [seed, setSeed] = useState(0)
  const kinds = KINDS.map(([k]) => k).filter((k) => !without.includes(k))
  const about = { dataset: dataset?.id ?? 0, how_many: Number(many) || 0, seed, kinds }
  const consulting = useConsultation('twins', about, brief.id, dataset !== undefined)
  return (
    <div className="grid gap-4">
      <div className="flex flex-wrap items-end gap-x-5 gap-y-2">
        <Field
          label="Of how many working cases, at random"
          inputMode="numeric"
          value={many}
          onChange={(e) => setMany(e.target.value)}
        />
        <TextAction className="pb-2" onClick={() => setSeed(seed + 1)}>
          draw others
        </TextAction>
      </div>
      <fieldset className="flex flex-wrap gap-x-5 gap-y-1 text-sm">
        <legend className="sr-only">Kinds</legend>
        {KINDS.map(([kind, words]) => (
          <label key={kind} className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={!without.includes(kind)}
              onChange={(e) =>
                setWithout(
                  e.target.checked ? without.filter((k) => k !== kind) : [...without, kind],
                )
              }
            />
            {words}
          </label>
        ))}
      </fieldset>
      <ConsultationPanel
        consulting={consulting}
        who="Model that writes them"
        action={consulting.current ? 'Write others' : 'Write twins'}
        disabled={consulting.prepared.isError}
        lacks={[
          dataset === undefined && {
            words: 'no dataset has working cases',
            to: `/briefs/${brief.id}/cases`,
          },
          kinds.length === 0 && 'no kind is ticked',
        ]}
      >
        {(reading, found) => (
          <Taking
            key={found.id}
            kept={`twins written ${found.id}`}
            twins={reading.twins ?? []}
            dataset={Number(found.about['dataset'])}
            model={found.model}
            onMade={(set) => {
              void consulting.close(found.id, 'taken')
              onMade(set)
            }}
          />
        )}
      </ConsultationPanel>
    </div>
  )
}

type TakingProps = {
  twins: Written[]
  dataset: number
  model: string
  kept: string
  onMade: (set: number) => void
}

/** What came, each beside its case: left, or changed, or taken as it is. */
function Taking({ twins, dataset, model, kept, onMade }: TakingProps) {
  const { brief } = useFrame()
  const [left, setLeft] = useTyped<number[]>(`${kept} left`, [])
  const [texts, setTexts] = useTyped<Record<number, string>>(`${kept} texts`, {})
  const { write, pending, problem } = useWrite([listTwinsQuery(brief.id).queryKey])
  const taken = twins.flatMap((t, i) =>
    left.includes(i) ? [] : [{ ...t, text: texts[i] ?? t.text }],
  )
  const keep = () =>
    void write(async () => {
      const made = await keepTwins(brief.id, {
        dataset,
        model,
        twins: taken.map(({ case: number, kind, text, answer }) => ({
          case: number,
          kind,
          text,
          answer,
        })),
      })
      onMade(made.id)
    })
  return (
    <>
      <ol>
        {twins.map((t, i) => (
          <OneTwin
            key={i}
            twin={t}
            place={i + 1}
            left={left.includes(i)}
            text={texts[i]}
            onLeft={(on) => setLeft(on ? [...left, i] : left.filter((x) => x !== i))}
            onText={(text) => setTexts({ ...texts, [i]: text })}
          />
        ))}
      </ol>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <div>
        <Button
          kind="main"
          disabled={pending}
          lacks={[taken.length === 0 && 'all of them are left']}
          onClick={keep}
        >
          Take {plural(taken.length, 'twin')}
        </Button>
      </div>
    </>
  )
}

type OneProps = {
  twin: Written
  place: number
  left: boolean
  /** As it was changed; undefined while it is as it came. */
  text: string | undefined
  onLeft: (on: boolean) => void
  onText: (text: string) => void
}

function OneTwin({ twin: t, place, left, text, onLeft, onText }: OneProps) {
  const [editing, setEditing] = useState(false)
  return (
    <li
      aria-label={`Written twin ${place}`}
      className={`border-b border-rule py-2 ${left ? 'border-l-2 border-l-rule-strong pl-3 text-soft' : ''}`}
    >
      <p className="flex flex-wrap items-baseline gap-x-3 text-xs text-soft">
        <span>
          case {t.case}, {t.what}; expected:{' '}
          {t.kind !== 'border' ? 'the same answer' : (t.answer ?? 'another answer')}
        </span>
        <span className="ml-auto flex gap-3">
          <TextAction light className="text-xs" onClick={() => setEditing(!editing)}>
            {editing ? 'done' : 'change it'}
          </TextAction>
          <TextAction light className="text-xs" onClick={() => onLeft(!left)}>
            {left ? 'left: take it' : 'leave it'}
            <span className="sr-only">, twin {place}</span>
          </TextAction>
        </span>
      </p>
      {editing ? (
        <Area
          label={`Text of twin ${place}`}
          rows={3}
          value={text ?? t.text}
          onChange={(e) => onText(e.target.value)}
        />
      ) : (
        <p className="font-serif leading-snug break-words whitespace-pre-wrap">
          {text === undefined || text === t.text ? <WordChanges words={t.words} whole /> : text}
        </p>
      )}
    </li>
  )
}
