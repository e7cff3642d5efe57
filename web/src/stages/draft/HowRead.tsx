import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { briefKeys, saveScorecard } from '@/api/briefs'
import { type Body, inWords, type Schemas } from '@/api/client'
import { readDraftQuery } from '@/api/drafts'
import { correctReading, faresQuery } from '@/api/wishes'
import { useWrite } from '@/api/useWrite'
import { Note } from '@/parts/Margin'
import { Button, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import type { Brief } from '../frame'
import { freeName, FACTS, LANGUAGES } from './reading/parts'
import { ByModel } from './reading/ByModel'
import { PutRight } from './reading/PutRight'
import { ReadLine } from './reading/ReadLine'
import { ReadingForm } from './reading/ReadingForm'
import { toRows, type WorkingCopy } from './workingCopy'

type Line = Schemas['ReadLine']
type Props = {
  brief: Brief
  copy: WorkingCopy
  /** Shows the words that a line was read from. */
  onPlace: (message: number, start: number, end: number) => void
}

const PAUSE_MS = 300
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
  const [putting, setPutting] = useState<Line | 'missing' | null>(null)
  const wordsOf = (line: Line) =>
    line.message === null
      ? ''
      : [...(settled.messages[line.message]?.content ?? '')].slice(line.start, line.end).join('')
  const tell = (fact: Body<'correct_reading'>) =>
    void write(async () => {
      await correctReading(brief.id, fact)
      setPutting(null)
    })
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
  const checks = (found.data?.lines ?? []).flatMap((l) => (l.check && !l.measured ? [l.check] : []))
  const fares = useQuery({
    ...faresQuery(brief.id, checks),
    enabled: checks.length > 0,
    placeholderData: (former) => former,
    retry: false,
  })
  const fareOf = (line: Line) => {
    const place = line.check ? checks.indexOf(line.check) : -1
    return place < 0 ? undefined : fares.data?.[place]
  }
  if (found.isError) return <ErrorLine>{inWords(found.error)}</ErrorLine>
  if (!found.data) return <Waiting what="the text" />
  const { lines, language, unstated } = found.data
  const open = lines.filter((l) => l.check && !l.measured)
  return (
    <div className="grid gap-3">
      <p className="text-xs text-soft">
        {language
          ? `Read as ${LANGUAGES[language] ?? language}. Press a line to see its words.`
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
            fare={fareOf(line)}
            busy={pending}
            onPlace={onPlace}
            onCheck={() => add([line])}
            onNot={() => tell({ part: FACTS[line.part] ?? '', text: wordsOf(line), value: null })}
            onRight={() => setPutting(line)}
            onConfirm={() => line.fact && tell(line.fact as Body<'correct_reading'>)}
          >
            {putting === line && (
              <ReadingForm
                line={line}
                words={wordsOf(line)}
                busy={pending}
                onSave={tell}
                onCancel={() => setPutting(null)}
              />
            )}
          </ReadLine>
        ))}
      </ol>
      {putting === 'missing' ? (
        <ReadingForm
          line={null}
          words={window.getSelection()?.toString() ?? ''}
          busy={pending}
          onSave={tell}
          onCancel={() => setPutting(null)}
        />
      ) : (
        <TextAction className="justify-self-start text-xs" onClick={() => setPutting('missing')}>
          Say what was not read…
        </TextAction>
      )}
      <ByModel brief={brief.id} messages={toRows(settled)} onPlace={onPlace} />
      <PutRight
        facts={found.data.facts}
        busy={pending}
        onForget={(f) => tell({ part: f.part, text: f.text, forget: true })}
      />
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
