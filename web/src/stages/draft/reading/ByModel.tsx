import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { modelReadingQuery, readByModel, setStandingReader } from '@/api/wishes'
import { useWrite } from '@/api/useWrite'
import { Button, Choice, ErrorLine } from '@/parts/controls'
import { costInWords, plural } from '@/parts/numbers'
import { useModels } from '../try/ModelPicks'

type Entry = Schemas['ModelEntryShape']
type Props = {
  brief: number
  messages: { role: string; content: string; step: string | null }[]
  onPlace: (message: number, start: number, end: number) => void
}

const REMARKS: Record<string, string> = {
  vague: 'Too vague to be checked',
  clashing: 'Aims that clash',
  untold: 'Left untold',
  'no-task': 'No task',
}

/** What a model's reading changes: how the text is read, what is found in it, and itself. */
export const touchedByReading = (brief: number) => [
  ['model reading', brief],
  ['read', brief],
  ['draft', brief],
]

/** How a model reads the text: two passes, and only what both say in the prompt's own words. */
export function ByModel({ brief, messages, onPlace }: Props) {
  const models = useModels()
  const [chosen, setChosen] = useState<number | null>(null)
  const { write, pending, problem } = useWrite(touchedByReading(brief))
  const consenting = useWrite([['model reading', brief]])
  const model = chosen ?? models.at(-1)?.id ?? null
  const found = useQuery({
    ...modelReadingQuery(brief, { messages, model }),
    enabled: messages.some((m) => m.content.trim() !== ''),
    retry: false,
  })
  const told = found.data
  if (!told || models.length === 0) return null
  const wanting = told.wanted - told.passes
  const remarks = told.entries.filter((e) => REMARKS[e.part])
  const asked = models.find((m) => m.id === model)
  const price =
    told.cost_at_most === null
      ? 'price unknown'
      : `at most ${costInWords(told.cost_at_most, asked?.simulated ? told.cost_at_most : 0)}`
  const standing = models.find((m) => m.id === told.standing)
  return (
    <section className="grid gap-2 border-t border-rule pt-2" aria-label="Read by a model">
      {told.entries.length > 0 && (
        <p className="text-xs text-soft">
          Read by {told.model}
          {told.simulated && ' (simulated)'}, twice; what one pass said alone is left out
          {told.alone > 0 && ` (${told.alone})`}. Dotted: where rules read nothing.
          {remarks.length > 0 && ' Of the wording it says, and so among To settle:'}
        </p>
      )}
      {remarks.length > 0 && (
        <ol className="grid gap-2">
          {remarks.map((e) => (
            <Remark key={`${e.part} ${e.message} ${e.start}`} entry={e} onPlace={onPlace} />
          ))}
        </ol>
      )}
      {wanting === 0 && told.entries.length === 0 && (
        <p className="text-xs text-soft">{told.model} said nothing twice that the prompt says.</p>
      )}
      {told.unread > 0 && (
        <p className="text-xs text-soft">
          {plural(told.unread, 'reply', 'replies')} could not be read.
        </p>
      )}
      {wanting > 0 && (
        <div className="grid gap-2">
          <Choice
            label="A model that reads it"
            value={model ?? ''}
            onChange={(e) => setChosen(Number(e.target.value))}
          >
            {models.map((m) => (
              <option key={m.id} value={m.id}>
                {m.name}
                {m.simulated ? ' (simulated)' : ''}
              </option>
            ))}
          </Choice>
          {told.only.length > 0 && (
            <p className="text-xs text-soft">
              Only what was changed: § {told.only.join(', § ')}. The rest was read before.
            </p>
          )}
          <Button
            small
            className="justify-self-start"
            disabled={pending}
            lacks={[model === null && { words: 'no model is there: add one', to: '/models' }]}
            onClick={() =>
              void write(
                async () => void (await readByModel(brief, { messages, model, ask: true })),
              )
            }
          >
            {pending
              ? 'It is read…'
              : `Have it read ${wanting === 2 ? 'twice' : 'once more'}, ${price}`}
          </Button>
        </div>
      )}
      {model !== null && (
        <label className="flex items-baseline gap-2 text-xs text-soft">
          <input
            type="checkbox"
            checked={told.standing !== null}
            disabled={consenting.pending}
            onChange={(e) =>
              void consenting.write(
                async () => void (await setStandingReader(brief, e.target.checked ? model : null)),
              )
            }
          />
          <span>
            {standing
              ? `${standing.name} reads every version that is saved, unasked`
              : 'Have every version that is saved read so, unasked'}
          </span>
        </label>
      )}
      {told.failure !== '' && !pending && <ErrorLine>No reply came: {told.failure}</ErrorLine>}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {consenting.problem !== null && <ErrorLine>{inWords(consenting.problem)}</ErrorLine>}
    </section>
  )
}

type RemarkProps = Pick<Props, 'onPlace'> & { entry: Entry }

function Remark({ entry, onPlace }: RemarkProps) {
  return (
    <li className="border-l-2 border-dotted border-rule-strong pl-2.5">
      <span className="text-xs font-semibold text-soft">
        {REMARKS[entry.part]}
        {entry.clause !== null && <span className="font-mono font-normal"> § {entry.clause}</span>}
      </span>
      <button
        type="button"
        className="block text-left font-serif text-sm leading-[1.2rem] break-words hover:underline"
        onClick={() => onPlace(entry.message, entry.start, entry.end)}
      >
        {entry.quote}
      </button>
      {entry.why && <span className="block text-xs text-soft">{entry.why}</span>}
    </li>
  )
}
