import { caseName } from '@/parts/caseName'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, Problem } from '@/api/client'
import { keepPrecedent, proposePrecedentsQuery } from '@/api/reviews'
import { useOutput } from '@/api/trials'
import { useWrite } from '@/api/useWrite'
import { Area, Button, Choice, Empty, ErrorLine, Waiting } from '@/parts/controls'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useModels } from '../../draft/try/ModelPicks'
import { KINDS, type Kind } from './words'

/** One step from a mark to a check: proposed from what was said, read, changed and confirmed. */
export function MakePrecedent({ output, close }: { output: number; close: () => void }) {
  const found = useOutput(output)
  const mark = found.data?.mark ?? null
  const body = {
    comment: mark?.comment ?? '',
    spans: mark?.spans ?? [],
    better: mark?.better ?? null,
  }
  const proposals = useQuery({
    ...proposePrecedentsQuery(output, body),
    enabled: found.data !== undefined,
  })
  const [chosen, setChosen] = useState(0)
  const [kind, setKind] = useState<Kind | null>(null)
  const place = `precedent ${output}`
  const [text, setText] = useTyped<string | null>(place, null)
  const [judge, setJudge] = useState<number | null>(null)
  const { write, problem } = useWrite([['trial'], ['precedents']])
  const models = useModels()
  if (found.isPending || proposals.isPending) return <Waiting what="what was said" />
  if (found.isLoadingError || proposals.isLoadingError)
    return <ErrorLine>{inWords(found.error ?? proposals.error)}</ErrorLine>
  const rows = proposals.data
  const first = rows[chosen]
  const now = { kind: kind ?? first?.kind ?? 'must-say', text: text ?? first?.text ?? '' }
  const asks = judge ?? models.at(-1)?.id ?? null
  const keep = () =>
    write(async () => {
      await keepPrecedent(output, { ...now, judge: now.kind === 'question' ? asks : null })
      forgetTyped(place)
      close()
    })
  const field = problem instanceof Problem ? problem.field : null
  return (
    <form
      className="grid gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        void keep()
      }}
    >
      <p className="text-sm text-soft">
        Every version is held to it from now on, on case {caseName(found.data.case)}: on the board,
        and when one is adopted.
      </p>
      {rows.length === 0 && (
        <Empty title="Nothing was said to take a check from.">Write one yourself below.</Empty>
      )}
      {rows.length > 0 && (
        <fieldset className="grid gap-1">
          <legend className="mb-1 text-xs text-soft">Proposed from the mark</legend>
          {rows.map((p, i) => (
            <div key={i} className="flex items-baseline gap-2 border-b border-rule pb-1 text-sm">
              <input
                type="radio"
                name="proposal"
                aria-label={`${KINDS[p.kind]} ${p.text}`}
                checked={i === chosen && kind === null && text === null}
                onChange={() => {
                  setChosen(i)
                  setKind(null)
                  setText(null)
                }}
              />
              <span className="min-w-0">
                <span className="font-semibold">{KINDS[p.kind]}</span>{' '}
                <span className="font-serif break-words">{p.text}</span>{' '}
                <span className="text-xs text-soft">{p.why}</span>
              </span>
            </div>
          ))}
        </fieldset>
      )}
      <div className="flex items-end gap-3">
        <Choice
          label="The answer"
          className="w-52"
          value={now.kind}
          onChange={(e) => {
            setText(now.text)
            setKind(e.target.value as Kind)
          }}
        >
          {Object.entries(KINDS).map(([key, words]) => (
            <option key={key} value={key}>
              {words}
            </option>
          ))}
        </Choice>
        {now.kind === 'question' && (
          <Choice
            label="Judged by"
            className="w-56"
            value={asks ?? ''}
            onChange={(e) => setJudge(Number(e.target.value))}
          >
            {models.map((m) => (
              <option key={m.id} value={m.id}>
                {m.name}
                {m.simulated ? ' (simulated)' : ''}
              </option>
            ))}
          </Choice>
        )}
      </div>
      <Area
        label={
          now.kind === 'question'
            ? 'A yes/no question; yes means that it holds'
            : 'These words; letter case and blanks do not count'
        }
        rows={3}
        className="[&_textarea]:font-serif [&_textarea]:text-base"
        value={now.text}
        error={field === 'text' ? inWords(problem) : null}
        onChange={(e) => {
          setKind(now.kind)
          setText(e.target.value)
        }}
      />
      {problem !== null && field !== 'text' && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <div className="flex gap-2">
        <Button kind="main" type="submit">
          Keep this precedent
        </Button>
        <Button kind="quiet" onClick={close}>
          Not now
        </Button>
      </div>
    </form>
  )
}
