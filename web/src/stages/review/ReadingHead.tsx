import type { Schemas } from '@/api/client'
import type { Wanted } from '@/api/reviews'
import { Choice, TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'

const ORDERS: [string, string][] = [
  ['random', 'by chance'],
  ['spread', 'by chance, arms and tags in turn'],
  ['changed', 'changed since they were marked'],
  ['low', 'lowest scores first'],
  ['unsure', 'scores in the middle first'],
  ['arms-apart', 'where arms differ most'],
  ['measures-apart', 'where measures disagree'],
  ['people-apart', 'where scores and marks part'],
]

type Props = {
  reading: Schemas['ReadingShape']
  wanted: Wanted
  onWanted: (w: Wanted) => void
}

/** What is read, and in which order. */
export function ReadingChoices({ reading, wanted, onWanted }: Props) {
  return (
    <>
      <div className="mt-2 flex flex-wrap items-center gap-2">
        {reading.trials.length > 1 && (
          <Choice
            label="Trial read"
            hideLabel
            className="w-24"
            value={reading.trial ?? ''}
            onChange={(e) =>
              onWanted({ ...wanted, trial: Number(e.target.value), arm: null, tag: '' })
            }
          >
            {reading.trials.map((t) => (
              <option key={t.id} value={t.id}>
                trial {t.number}
              </option>
            ))}
          </Choice>
        )}
        {reading.arms.length > 1 && (
          <Choice
            label="Arm read"
            hideLabel
            className="w-32"
            value={wanted.arm ?? ''}
            onChange={(e) =>
              onWanted({
                ...wanted,
                trial: reading.trial,
                arm: e.target.value ? Number(e.target.value) : null,
              })
            }
          >
            <option value="">every arm</option>
            {reading.arms.map((a) => (
              <option key={a.id} value={a.id}>
                {a.label}
              </option>
            ))}
          </Choice>
        )}
        {reading.tags.length > 1 && (
          <Choice
            label="Tag read"
            hideLabel
            className="w-32"
            value={wanted.tag}
            onChange={(e) => onWanted({ ...wanted, trial: reading.trial, tag: e.target.value })}
          >
            <option value="">every tag</option>
            {reading.tags.map((name) => (
              <option key={name} value={name}>
                {name}
              </option>
            ))}
          </Choice>
        )}
        <Choice
          label="Order"
          hideLabel
          className="w-48"
          value={reading.order}
          onChange={(e) => onWanted({ ...wanted, order: e.target.value })}
        >
          {ORDERS.map(([key, words]) => (
            <option key={key} value={key}>
              {words}
            </option>
          ))}
        </Choice>
      </div>
      {reading.order === 'changed' && (
        <p className="mt-2 border-l-2 border-inform pl-3 text-sm">
          {plural(reading.changed, 'answer')} to cases where a former answer was complained of.{' '}
          <TextAction onClick={() => onWanted({ ...wanted, order: 'random' })}>
            Read by chance instead
          </TextAction>
        </p>
      )}
    </>
  )
}
