import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { api, dataOf, inWords, type Schemas } from '@/api/client'
import { keys, useOutput, useReading } from '@/api/queries'
import { Area, Button, Empty, ErrorLine, Key, TextAction, Waiting } from '@/parts/controls'
import { Note } from '@/parts/Margin'
import { count, plural } from '@/parts/numbers'
import { isTyping } from '@/parts/TopBar'
import { useFrame } from '../BriefFrame'
import { StageGrid } from '../StageGrid'
import { Reference } from '../trials/CorrectReference'
import { AnswerText, Inputs, Scores } from '../trials/OutputView'

type Judgement = 'good' | 'usable' | 'bad'
const MARKS: { judgement: Judgement; key: string; words: string }[] = [
  { judgement: 'good', key: 'G', words: 'send it as it is' },
  { judgement: 'usable', key: 'U', words: 'after a small change' },
  { judgement: 'bad', key: 'B', words: 'not usable' },
]

/** Review: one answer at a time, the arm hidden, marked by keyboard. */
export function ReviewStage() {
  const { brief } = useFrame()
  const reading = useReading(brief.id)
  if (reading.isPending) return <div className="px-6"><Waiting what="what there is to read" /></div>
  if (reading.isError) return <div className="p-6"><ErrorLine>{inWords(reading.error)}</ErrorLine></div>
  if (reading.data.trial === null || reading.data.queue.length === 0) {
    return (
      <div className="px-6">
        <Empty title="Nothing to read yet.">When a trial has ended, its answers come here in a random order.</Empty>
      </div>
    )
  }
  return <Reader key={reading.data.trial} reading={reading.data} />
}

function Reader({ reading }: { reading: Schemas['ReadingShape'] }) {
  const { brief } = useFrame()
  const cache = useQueryClient()
  const [marks, setMarks] = useState<Record<number, Judgement>>(() =>
    Object.fromEntries(reading.queue.flatMap((r) => (r.judgement ? [[r.output, r.judgement as Judgement]] : []))),
  )
  const [at, setAt] = useState(() => Math.max(0, reading.queue.findIndex((r) => r.judgement === null)))
  const [comment, setComment] = useState('')
  const [open, setOpen] = useState(false)
  const [problem, setProblem] = useState<unknown>(null)
  const box = useRef<HTMLDivElement>(null)
  const current = reading.queue[at]?.output ?? null
  const output = useOutput(current)
  // The next answer is there before it is asked for.
  useOutput(reading.queue[at + 1]?.output ?? null)

  const go = (to: number) => {
    setAt(Math.min(Math.max(to, 0), reading.queue.length - 1))
    setComment('')
    setOpen(false)
  }
  const mark = async (judgement: Judgement) => {
    if (current === null) return
    const marked = current
    const said = comment
    const before = marks[marked]
    setMarks({ ...marks, [marked]: judgement })
    setProblem(null)
    go(at + 1)
    try {
      await dataOf(
        api.POST('/api/outputs/{output_id}/marks/', {
          params: { path: { output_id: marked } }, body: { judgement, comment: said },
        }),
      )
      void cache.invalidateQueries({ queryKey: keys.output(marked) })
      void cache.invalidateQueries({ queryKey: keys.brief(brief.id), exact: true })
    } catch (error) {
      // The mark is taken back and the comment returned, so that nothing typed is lost.
      setMarks((m) => {
        const rest = { ...m }
        if (before) rest[marked] = before
        else delete rest[marked]
        return rest
      })
      setAt(at)
      setComment(said)
      setProblem(error)
    }
  }

  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (isTyping(e.target) || e.ctrlKey || e.metaKey || e.altKey) return
      const key = e.key.toUpperCase()
      const found = MARKS.find((m) => m.key === key)
      if (found) void mark(found.judgement)
      else if (key === 'J') go(at + 1)
      else if (key === 'K') go(at - 1)
      else if (key === 'C') box.current?.querySelector('textarea')?.focus()
      else return
      e.preventDefault()
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  })

  const done = Object.keys(marks).length
  const mine = current === null ? undefined : marks[current]
  return (
    <StageGrid
      margin={
        <div ref={box} className="grid gap-4">
          <h2 className="text-base">Your mark</h2>
          <div className="grid gap-2">
            {MARKS.map((m) => (
              <button
                key={m.judgement}
                type="button"
                aria-pressed={mine === m.judgement}
                onClick={() => void mark(m.judgement)}
                className="flex items-baseline gap-3 rounded-sm border border-rule-strong bg-sheet px-3 py-2 text-left hover:border-ink aria-pressed:border-2 aria-pressed:border-ink"
              >
                <Key>{m.key}</Key>
                <span className="font-serif text-base font-semibold">{m.judgement}</span>
                <span className="text-xs text-soft">{m.words}</span>
              </button>
            ))}
          </div>
          <Area
            label="Comment, kept with the mark"
            rows={4}
            value={comment}
            onChange={(e) => setComment(e.target.value)}
            onKeyDown={(e) => {
              if (e.key === 'Escape' || (e.key === 'Enter' && (e.ctrlKey || e.metaKey))) e.currentTarget.blur()
            }}
          />
          {problem !== null && (
            <ErrorLine>The mark was not stored, your comment is still here. {inWords(problem)}</ErrorLine>
          )}
          {output.data?.mark && mine && (
            <Note title={`Marked ${output.data.mark.judgement}`}>
              {output.data.mark.comment || 'No comment.'} A new mark replaces it; the former one stays in history.
            </Note>
          )}
          <p className="flex flex-wrap gap-x-3 gap-y-1 text-xs text-soft">
            <span><Key>J</Key> <Key>K</Key> next, before</span>
            <span><Key>C</Key> comment</span>
          </p>
          <Note title="Read blind">
            The arm stays hidden until you have marked, and the order is drawn at random, so that
            marks say something about an arm as a whole.
          </Note>
        </div>
      }
    >
      <div className="flex items-baseline gap-4 border-b border-rule pb-2">
        <h1 className="text-xl">Reading trial {reading.trial_number}</h1>
        <span className="text-sm text-soft">
          answer {count(at + 1)} of {count(reading.queue.length)}, {plural(done, 'mark')}
        </span>
        <span className="ml-auto flex gap-2">
          <Button onClick={() => go(at - 1)} disabled={at === 0}>Before</Button>
          <Button onClick={() => go(at + 1)} disabled={at >= reading.queue.length - 1}>Next</Button>
        </span>
      </div>
      {output.isPending && <Waiting what="the answer" />}
      {output.isError && <ErrorLine>{inWords(output.error)}</ErrorLine>}
      {output.data && (
        <article className="mt-4 grid max-w-3xl gap-5" aria-live="polite">
          <Inputs inputs={output.data.case.inputs} />
          <section>
            <h2 className="mb-1 text-base">Answer</h2>
            <AnswerText output={output.data} />
          </section>
          {open || mine ? (
            <>
              <Reference key={output.data.id} output={output.data} />
              <Scores output={output.data} />
              {mine && (
                <p className="text-sm text-soft">
                  This was {output.data.arm.letter}: v{output.data.arm.version} on {output.data.arm.model}, {output.data.arm.settings_short}.
                </p>
              )}
            </>
          ) : (
            <p className="text-sm">
              <TextAction onClick={() => setOpen(true)}>Show reference and scores</TextAction>
            </p>
          )}
        </article>
      )}
    </StageGrid>
  )
}
