import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { modelReadingQuery, readByModel } from '@/api/wishes'
import { useWrite } from '@/api/useWrite'
import { Button, Choice, ErrorLine, TextAction } from '@/parts/controls'
import { money, plural } from '@/parts/numbers'
import { useModels } from '../try/ModelPicks'

type Entry = Schemas['ModelEntryShape']
type Props = {
  brief: number
  messages: { role: string; content: string; step: string | null }[]
  busy: boolean
  onPlace: (message: number, start: number, end: number) => void
  /** What a person confirms of it becomes a fact of the brief. */
  onConfirm: (fact: { part: string; text: string; value: unknown }) => void
}

const REMARKS: Record<string, string> = {
  vague: 'Too vague to be checked',
  clashing: 'Aims that clash',
  untold: 'Left untold',
  'no-task': 'No task',
}
const PARTS: Record<string, string> = { audience: 'Readers', output: 'Answer' }

/** How a model reads the text: two passes, and only what both say in the prompt's own words. */
export function ByModel({ brief, messages, busy, onPlace, onConfirm }: Props) {
  const models = useModels()
  const [chosen, setChosen] = useState<number | null>(null)
  const model = chosen ?? models.at(-1)?.id ?? null
  const found = useQuery({
    ...modelReadingQuery(brief, { messages, model }),
    enabled: messages.some((m) => m.content.trim() !== ''),
    retry: false,
  })
  const { write, pending, problem } = useWrite([['model reading', brief]])
  const told = found.data
  if (!told || models.length === 0) return null
  const wanting = told.wanted - told.passes
  return (
    <section className="grid gap-2 border-t border-rule pt-2" aria-label="Read by a model">
      {told.entries.length > 0 && (
        <>
          <p className="text-xs text-soft">
            Read by {told.model}
            {told.simulated && ' (simulated)'}, twice; what one pass said alone is left out
            {told.alone > 0 && ` (${told.alone})`}.
          </p>
          <ol className="grid gap-2">
            {told.entries.map((e) => (
              <ModelLine
                key={`${e.part} ${e.message} ${e.start}`}
                entry={e}
                busy={busy}
                onPlace={onPlace}
                onConfirm={onConfirm}
              />
            ))}
          </ol>
        </>
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
          <Button
            small
            className="justify-self-start"
            disabled={pending || model === null}
            onClick={() =>
              void write(
                async () => void (await readByModel(brief, { messages, model, ask: true })),
              )
            }
          >
            {pending
              ? 'It is read…'
              : `Have it read ${wanting === 2 ? 'twice' : 'once more'}, ${told.cost_at_most === null ? 'price unknown' : `at most ${money(told.cost_at_most)}`}`}
          </Button>
        </div>
      )}
      {told.failure !== '' && !pending && <ErrorLine>No reply came: {told.failure}</ErrorLine>}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
    </section>
  )
}

type LineProps = Pick<Props, 'busy' | 'onPlace' | 'onConfirm'> & { entry: Entry }

function ModelLine({ entry, busy, onPlace, onConfirm }: LineProps) {
  const remark = REMARKS[entry.part]
  const name = PARTS[entry.part] ?? entry.part
  return (
    // Dotted: read by a model, and certain only once a person says so.
    <li className="border-l-2 border-dotted border-rule-strong pl-2.5">
      <span className="flex items-baseline justify-between gap-2 text-xs">
        <span className="font-semibold text-soft">
          {remark ?? `${name.charAt(0).toUpperCase()}${name.slice(1)}`}
          {entry.clause !== null && (
            <span className="font-mono font-normal"> § {entry.clause}</span>
          )}
        </span>
        {!remark && (
          <TextAction
            disabled={busy}
            onClick={() => onConfirm({ part: entry.part, text: entry.quote, value: entry.value })}
          >
            So it is
          </TextAction>
        )}
      </span>
      <button
        type="button"
        className="text-left font-serif text-sm leading-[1.2rem] break-words hover:underline"
        onClick={() => onPlace(entry.message, entry.start, entry.end)}
      >
        {entry.quote}
      </button>
      {entry.why && <span className="block text-xs text-soft">{entry.why}</span>}
    </li>
  )
}
