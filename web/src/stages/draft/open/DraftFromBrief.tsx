import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { composeVersionQuery } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { saveVersion } from '@/api/versions'
import { ConsultationPanel } from '@/parts/consult/ConsultationPanel'
import { useConsultation } from '@/parts/consult/useConsultation'
import { Button, ErrorLine } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { useTyped } from '@/parts/typed'
import { useFrame } from '../../frame'
import { EarnedElsewhere } from './EarnedElsewhere'

type Clause = Schemas['WrittenClauseShape']

/** A model writes a version from the brief alone, clause by clause with a reason each; you take what you want. */
export function DraftFromBrief({ onDone }: { onDone: (version: number) => void }) {
  const { brief } = useFrame()
  const [wishes] = useTyped<string[]>(`wishes ${brief.id}`, [])
  const [lines, setLines] = useState<string[]>([])
  // A line of another brief is a wish like any: the model fits it in.
  const wanted = [...wishes, ...lines.map((l) => `say this, fitted to the job: ${l}`)]
  const about = { brief: brief.id, ...(wanted.length > 0 ? { wishes: wanted } : {}) }
  const consulting = useConsultation('draft', about, brief.id)
  return (
    <div className="grid gap-3">
      <p className="text-sm text-soft">
        From the job, the facts that open questions have settled,{' '}
        {wishes.length > 0 && `${plural(wishes.length, 'wish', 'wishes')}, `}and the columns of the
        cases. Nothing is saved before you say so.
      </p>
      <EarnedElsewhere
        act={(line) => (
          <label className="flex shrink-0 items-baseline gap-1 text-sm">
            <input
              type="checkbox"
              checked={lines.includes(line.text)}
              onChange={(e) =>
                setLines(
                  e.target.checked ? [...lines, line.text] : lines.filter((l) => l !== line.text),
                )
              }
            />
            with it
          </label>
        )}
      />
      <ConsultationPanel
        consulting={consulting}
        who="Model that writes"
        action={consulting.current ? 'Write another' : 'Write it'}
      >
        {(reading, found) => (
          <Taking
            key={found.id}
            written={reading.clauses ?? []}
            open={reading.questions ?? []}
            model={found.model}
            onDone={(version) => {
              void consulting.close(found.id, 'taken')
              onDone(version)
            }}
          />
        )}
      </ConsultationPanel>
    </div>
  )
}

function Taking({
  written,
  open,
  model,
  onDone,
}: {
  written: Clause[]
  open: Schemas['AskedQuestionShape'][]
  model: string
  onDone: (version: number) => void
}) {
  const { brief } = useFrame()
  const [left, setLeft] = useState<number[]>([])
  const { write, problem } = useWrite([...briefKeys(brief.id)])
  const clauses = written.filter((_, i) => !left.includes(i))
  const composed = useQuery({
    ...composeVersionQuery(brief.id, { clauses }),
    placeholderData: (former) => former,
    retry: false,
  })
  const save = async () => {
    if (!composed.data) return
    await write(async () => {
      const made = await saveVersion(brief.id, {
        messages: composed.data.messages,
        settings: {},
        parent: null,
        second_parent: null,
        origin: 'drafted',
        note: `drafted from the brief by ${model}`,
        reasons: composed.data.reasons,
      })
      onDone(made.number)
    })
  }
  return (
    <>
      <ol aria-label="Clauses">
        {written.map((c, i) => (
          <li
            key={i}
            className="grid grid-cols-[auto_minmax(0,1fr)_12rem] items-baseline gap-3 border-b border-rule py-1.5"
          >
            <input
              type="checkbox"
              aria-label={`Take: ${c.text}`}
              checked={!left.includes(i)}
              onChange={(e) =>
                setLeft(e.target.checked ? left.filter((n) => n !== i) : [...left, i])
              }
            />
            <span
              className={`font-serif text-base break-words whitespace-pre-wrap ${left.includes(i) ? 'text-soft line-through' : ''}`}
            >
              {c.text}
            </span>
            <span className="text-xs text-soft">
              <span className="font-semibold">{c.part}</span>: {c.reason}
            </span>
          </li>
        ))}
      </ol>
      {open.length > 0 && (
        <p className="border-l-2 border-inform pl-3 text-sm">
          {plural(open.length, 'point')} of the job {open.length === 1 ? 'is' : 'are'} left open and
          asked with it: {open.map((q) => q.text).join(' ')}
        </p>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {composed.isError && <ErrorLine>{inWords(composed.error)}</ErrorLine>}
      <div className="flex items-baseline gap-3">
        <Button
          kind="main"
          disabled={clauses.length > 0 && !composed.data && !composed.isError}
          lacks={[
            clauses.length === 0 && 'every clause is left out',
            composed.isError && 'what is told above',
          ]}
          onClick={() => void save()}
        >
          Save {plural(clauses.length, 'clause')} as v{(brief.versions.at(-1)?.number ?? 0) + 1}
        </Button>
        {composed.data && (
          <span className="text-sm text-soft">about {count(composed.data.tokens)} tokens</span>
        )}
      </div>
    </>
  )
}
