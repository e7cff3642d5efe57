import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { briefKeys, saveScorecard } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { readDraftQuery } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { Note } from '@/parts/Margin'
import { Button, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import type { Brief } from '../frame'
import { toRows, type WorkingCopy } from './workingCopy'

type Line = Schemas['ReadLine']
type Props = {
  brief: Brief
  copy: WorkingCopy
  /** Shows the words that a line was read from. */
  onPlace: (message: number, start: number, end: number) => void
}

const PAUSE_MS = 300
const PARTS: Record<string, string> = {
  task: 'Task',
  role: 'Role',
  audience: 'Readers',
  tone: 'Tone',
  input: 'Input',
  output: 'Answer',
  limit: 'Limit',
  must: 'Must',
  'must-not': 'Must not',
  example: 'Example',
  cue: 'Cue',
  language: 'Language',
}
const LANGUAGES: Record<string, string> = {
  en: 'English',
  de: 'German',
  fr: 'French',
  es: 'Spanish',
}

/** What the text is read to ask for, line by line, and which of it a measure checks. */
export function HowRead({ brief, copy, onPlace }: Props) {
  const [settled, setSettled] = useState(copy)
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(copy), PAUSE_MS)
    return () => window.clearTimeout(timer)
  }, [copy])
  const card = brief.scorecard
  const found = useQuery({
    ...readDraftQuery(
      brief.id,
      { messages: toRows(settled), settings: settled.settings, parent: null },
      card?.id ?? null,
    ),
    placeholderData: (former) => former,
  })
  const { write, pending, problem } = useWrite([...briefKeys(brief.id), ['read', brief.id]])
  const add = (lines: Line[]) =>
    void write(async () => {
      const document = card?.document ?? { nomikon: 'scorecard/1', measures: [] }
      const before = (document['measures'] ?? []) as { name?: string; measure: string }[]
      const named = lines.map((l) => l.check as { measure: string })
      const measures = [...before]
      for (const check of named) measures.push({ ...check, ...freeName(measures, check.measure) })
      await saveScorecard(brief.id, {
        document: { ...document, measures },
        ...(card ? { seen: card.id } : {}),
      })
    })
  if (found.isError) return <ErrorLine>{inWords(found.error)}</ErrorLine>
  if (!found.data) return <Waiting what="the text" />
  const { lines, language, unstated } = found.data
  const open = lines.filter((l) => l.check && !l.measured)
  return (
    <div className="grid gap-3">
      <p className="text-xs text-soft">
        {language
          ? `Read as ${LANGUAGES[language] ?? language}, by rule. Press a line to see its words.`
          : 'The language is none that is read by rule: only what stands without words of it is told.'}
      </p>
      {open.length > 1 && (
        <Button disabled={pending} onClick={() => add(open)}>
          Check all {open.length}
        </Button>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <ol className="grid gap-2">
        {lines.map((line, i) => (
          <ReadLine
            key={i}
            line={line}
            busy={pending}
            onPlace={onPlace}
            onCheck={() => add([line])}
          />
        ))}
      </ol>
      {lines.length === 0 && <Note title="Nothing was read">The text asks for nothing yet.</Note>}
      {unstated.length > 0 && (
        <Note tone="attention" title={`${plural(unstated.length, 'rule')} the text does not state`}>
          The scorecard checks {unstated.join(', ')}, and no clause says so: an answer is held to
          what it never heard.
        </Note>
      )}
    </div>
  )
}

/** A name of its own where the measure is on the card already. */
function freeName(measures: { name?: string; measure: string }[], kind: string): { name?: string } {
  const taken = new Set(measures.map((m) => m.name ?? m.measure))
  if (!taken.has(kind)) return {}
  let n = 2
  while (taken.has(`${kind} ${n}`)) n++
  return { name: `${kind} ${n}` }
}

type LineProps = {
  line: Line
  busy: boolean
  onPlace: Props['onPlace']
  onCheck: () => void
}

function ReadLine({ line, busy, onPlace, onCheck }: LineProps) {
  const { message } = line
  return (
    <li className="border-l-2 border-rule-strong pl-2.5">
      <span className="flex items-baseline justify-between gap-2 text-xs">
        <span className="font-semibold text-soft">
          {PARTS[line.part] ?? line.part}
          {line.clause !== null && <span className="font-mono font-normal"> § {line.clause}</span>}
        </span>
        {line.measured ? (
          <span className="text-action">measured</span>
        ) : (
          line.check && (
            <TextAction disabled={busy} onClick={onCheck}>
              Check it
            </TextAction>
          )
        )}
      </span>
      <button
        type="button"
        disabled={message === null}
        className="line-clamp-3 text-left font-serif text-sm leading-[1.2rem] break-words enabled:hover:underline"
        onClick={() => message !== null && onPlace(message, line.start, line.end)}
      >
        {line.says}
      </button>
    </li>
  )
}
