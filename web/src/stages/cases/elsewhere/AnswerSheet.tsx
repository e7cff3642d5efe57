import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { baselineSheetQuery, baselinesQuery, writeAnswer } from '@/api/baselines'
import { inWords, Problem, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { Choice, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { count } from '@/parts/numbers'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useFrame } from '../../frame'
import { CaseRead } from '../CaseRead'

type Baseline = Schemas['BaselineShape']
type Row = Schemas['BaselineRow']

const PAGE = 50

/** Every case with a field for its answer beside it; a field is kept when it is left. */
export function AnswerSheet({ baseline }: { baseline: Baseline }) {
  const [which, setWhich] = useState<'all' | 'open' | 'answered'>('all')
  const [offset, setOffset] = useState(0)
  const page = useQuery({
    ...baselineSheetQuery(baseline.id, { which, offset, limit: PAGE }),
    placeholderData: (former) => former,
    staleTime: 0,
  })
  const sheet = useRef<HTMLDivElement>(null)
  const total = page.data?.total ?? 0
  /** The next field after one that is done with. */
  const next = (after: HTMLTextAreaElement) => {
    const fields = [...(sheet.current?.querySelectorAll('textarea') ?? [])]
    fields[fields.indexOf(after) + 1]?.focus()
  }
  return (
    <section className="mt-3">
      <div className="flex flex-wrap items-end gap-4 border-b border-rule-strong pb-2">
        <Choice
          label="Cases"
          className="w-48"
          value={which}
          onChange={(e) => {
            setWhich(e.target.value as typeof which)
            setOffset(0)
          }}
        >
          <option value="all">all {count(baseline.n_cases)}</option>
          <option value="open">
            without an answer, {count(baseline.n_cases - baseline.n_answered)}
          </option>
          <option value="answered">with one, {count(baseline.n_answered)}</option>
        </Choice>
        <span className="pb-1.5 text-sm text-soft">
          Ctrl Enter goes to the next; what is left is kept.
        </span>
        <span className="ml-auto flex items-baseline gap-3 pb-1.5 text-sm">
          {total > PAGE && (
            <>
              <TextAction disabled={offset === 0} onClick={() => setOffset(offset - PAGE)}>
                ‹ before
              </TextAction>
              {count(offset + 1)} to {count(Math.min(total, offset + PAGE))} of {count(total)}
              <TextAction
                disabled={offset + PAGE >= total}
                onClick={() => setOffset(offset + PAGE)}
              >
                after ›
              </TextAction>
            </>
          )}
        </span>
      </div>
      {page.isError && <ErrorLine>{inWords(page.error)}</ErrorLine>}
      {page.isPending && <Waiting what="the cases" />}
      <div ref={sheet}>
        {page.data?.rows.map((row) => (
          <AnswerField key={`${row.case} ${row.text}`} baseline={baseline} row={row} next={next} />
        ))}
      </div>
      {page.data?.rows.length === 0 && (
        <p className="py-4 text-sm text-soft">
          {which === 'open' ? 'Every case has an answer.' : 'No case has an answer yet.'}
        </p>
      )}
    </section>
  )
}

type FieldProps = { baseline: Baseline; row: Row; next: (after: HTMLTextAreaElement) => void }

function AnswerField({ baseline, row, next }: FieldProps) {
  const { brief } = useFrame()
  const cache = useQueryClient()
  const place = `baseline ${baseline.id} case ${row.case}`
  // What is kept, as this page knows it.
  const [kept, setKept] = useState(row.text ?? '')
  const [text, setText] = useTyped(place, kept)
  const { write, pending, problem } = useWrite([baselinesQuery(brief.id).queryKey])
  const keep = () => {
    if (text === kept) return
    void write(async () => {
      const done = await writeAnswer(baseline.id, row.case, { text, seen: kept })
      forgetTyped(place)
      setKept(done.text ?? '')
      void cache.invalidateQueries({
        queryKey: ['baseline', baseline.id, 'sheet'],
        refetchType: 'none',
      })
    })
  }
  const other =
    problem instanceof Problem && problem.status === 409
      ? (problem.facts['now'] as { text: string } | undefined)
      : undefined
  return (
    <div className="grid grid-cols-[2.5rem_minmax(0,1fr)_minmax(0,1fr)] gap-x-4 border-b border-rule py-2 max-[900px]:grid-cols-[2.5rem_minmax(0,1fr)]">
      <span className="font-mono text-xs text-soft">{row.number}</span>
      <CaseRead case_={row}>
        {row.conversation !== null && 'A conversation: what stands here counts as its last answer.'}
      </CaseRead>
      <div className="min-w-0 max-[900px]:col-start-2">
        <textarea
          aria-label={`Answer to case ${row.number}`}
          rows={Math.min(12, Math.max(2, text.split('\n').length))}
          className="w-full rounded-sm border border-rule-strong bg-sheet px-2 py-1 text-sm"
          value={text}
          onChange={(e) => setText(e.target.value)}
          onBlur={keep}
          onKeyDown={(e) => {
            if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) {
              e.preventDefault()
              // Leaving the field keeps it.
              next(e.currentTarget)
              if (document.activeElement === e.currentTarget) keep()
            }
          }}
        />
        <p className="flex gap-3 text-xs text-soft" aria-live="polite">
          {pending ? 'keeping…' : text !== kept ? 'not kept yet' : ''}
          {row.changed && kept === row.text && (
            <span className="text-attention-text">
              The case was changed since it was answered: this answer is left out of trials.
            </span>
          )}
        </p>
        {other ? (
          <p className="text-sm text-harm">
            Somebody else wrote meanwhile: “{other.text}”.{' '}
            <TextAction onClick={() => setKept(other.text)}>Mine shall stand</TextAction>{' '}
            <TextAction
              onClick={() => {
                setKept(other.text)
                setText(other.text)
              }}
            >
              Take theirs
            </TextAction>
          </p>
        ) : (
          problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>
        )}
      </div>
    </div>
  )
}
