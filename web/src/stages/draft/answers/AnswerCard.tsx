import { lazy, Suspense, useState } from 'react'
import { csvIn } from '@/parts/csv'
import { BEYOND_WORDS, isBeyond, Reasoning } from '@/parts/Reasoning'
import { ErrorLine, Key, Simulated, TextAction } from '@/parts/controls'
import { endedInWords } from '@/parts/ended'
import { money, plural, rampStep, score, seconds } from '@/parts/numbers'
import { rampColours } from '@/parts/ramp'
import { Form, Scores } from '../try/AnswerView'
import type { Result } from '../try/useTries'
import { stepsOf } from '../workingCopy'
import { GoOn } from './GoOn'
import type { WayProps } from './regionParts'
import type { Judged, Shown, Tried } from './useAsking'

const FeedOn = lazy(async () => ({ default: (await import('./feed/FeedOn')).FeedOn }))

type Props = {
  shown: Shown
  label: string
  onSay?: (key: string, said: Partial<Judged>) => void
  feed: { way: WayProps; tried: Tried } | null
}

const MARKS = [
  ['G', 'good'],
  ['U', 'usable'],
  ['B', 'bad'],
] as const

/** One answer: what it took, what it says, the first thing that is wrong with it, and what a person says. */
export function AnswerCard({ shown, label, onSay, feed }: Props) {
  const { answer: a, said } = shown
  const [feeding, setFeeding] = useState(false)
  const [all, setAll] = useState(false)
  const [copied, setCopied] = useState('')
  const [marked, setMarked] = useState('')
  const r = a.result
  const say = (part: Partial<Judged>) => onSay?.(shown.key, part)
  const copy = (text: string, what: string) => {
    void navigator.clipboard.writeText(text).then(() => setCopied(what))
  }
  const csv = r ? csvIn(a.text) : null
  const mark = () => setMarked(document.getSelection()?.toString().trim() ?? '')
  return (
    // Keys mark the answer that has the focus.
    // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
    <article
      aria-label={`Answer of ${label}`}
      // eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex
      tabIndex={0}
      className="border-t border-ink py-1.5 outline-offset-2"
      onKeyDown={(e) => {
        if (e.target !== e.currentTarget || e.ctrlKey || e.metaKey || e.altKey || !said) return
        const pressed = MARKS.find(([key]) => key.toLowerCase() === e.key.toLowerCase())
        if (pressed) say({ judgement: said.judgement === pressed[1] ? '' : pressed[1] })
      }}
    >
      <p className="flex flex-wrap items-baseline gap-x-2 text-xs text-soft">
        <span className="text-sm font-semibold text-ink">{label}</span>
        {shown.simulated && <Simulated />}
        {r && <span>{tookInWords(r)}</span>}
      </p>
      {a.problem && <ErrorLine>{a.problem}</ErrorLine>}
      {r && r.outcome !== 'answered' && (
        <p className="mb-1 border-l-2 border-harm bg-wash-harm px-2 py-1 text-sm text-harm">
          <strong>{r.outcome}</strong>: {r.why}
        </p>
      )}
      {r?.suspected && (
        <p className="mb-1 border-l-2 border-attention pl-2 text-sm text-attention-text">
          It looks {r.suspected}: {r.why}.
        </p>
      )}
      {r?.reasoning && <Reasoning>{r.reasoning}</Reasoning>}
      {r && isBeyond(r.text) && (
        <p className="mb-1 border-l-2 border-inform pl-2 text-sm">{BEYOND_WORDS}</p>
      )}
      {r?.steps && r.steps.length > 1 && (
        <Steps steps={r.steps.slice(0, -1)} {...(feed ? { way: feed.way } : {})} />
      )}
      {(a.text || (!r && !a.problem)) && (
        // What is marked in it can be fed on.
        // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
        <pre
          dir="auto"
          className="my-1 font-mono text-sm break-words whitespace-pre-wrap"
          onMouseUp={mark}
          onKeyUp={mark}
          aria-busy={!r && !a.problem}
        >
          {a.text || '…'}
        </pre>
      )}
      {r && r.outcome === 'answered' && <Fare result={r} all={all} onAll={() => setAll(!all)} />}
      {all && r && (
        <>
          <Form result={r} />
          <Scores result={r} />
        </>
      )}
      {r && onSay && said && (
        <>
          <p className="mt-1 flex flex-wrap items-baseline gap-x-3 gap-y-1 text-xs">
            {MARKS.map(([key, word]) => (
              <button
                key={word}
                type="button"
                aria-pressed={said.judgement === word}
                className={`flex items-baseline gap-1 ${said.judgement === word ? 'font-semibold text-ink underline decoration-2 underline-offset-4' : 'text-soft hover:text-ink'}`}
                onClick={() => say({ judgement: said.judgement === word ? '' : word })}
              >
                <Key>{key}</Key> {word}
              </button>
            ))}
            <button
              type="button"
              aria-pressed={said.best}
              className={said.best ? 'font-semibold text-action' : 'text-soft hover:text-ink'}
              onClick={() => say({ best: !said.best })}
            >
              best of these
            </button>
            {feed && (
              <TextAction light aria-expanded={feeding} onClick={() => setFeeding(!feeding)}>
                Feed on…
              </TextAction>
            )}
            <TextAction light onClick={() => copy(marked || a.text, 'words')}>
              {copied === 'words' ? 'Copied' : marked ? 'Copy the marked words' : 'Copy'}
            </TextAction>
            {csv !== null && (
              <TextAction light onClick={() => copy(csv, 'table')}>
                {copied === 'table' ? 'Table copied as CSV' : 'Copy its table as CSV'}
              </TextAction>
            )}
            {feed && r.outcome === 'cut' && <GoOn shown={shown} {...feed} />}
          </p>
          {(said.judgement !== '' || said.comment !== '') && (
            <Comment
              key={said.comment}
              comment={said.comment}
              onSay={(comment) => say({ comment })}
            />
          )}
          {feed && feeding && (
            <Suspense fallback={null}>
              <FeedOn key={marked} shown={shown} label={label} marked={marked} {...feed} />
            </Suspense>
          )}
        </>
      )}
    </article>
  )
}

type StepsProps = { steps: NonNullable<Result['steps']>; way?: WayProps }

/** What the steps before the last one answered; each leads to trying the one after it from there. */
function Steps({ steps, way }: StepsProps) {
  return (
    <>
      {steps.map((s) => (
        <details key={s.step} className="my-1 border-l-2 border-rule pl-2 text-sm">
          <summary className="cursor-pointer text-xs text-soft">
            Step “{s.step}”{s.cost !== null && `, ${money(s.cost)}`}: {s.text.slice(0, 60)}
          </summary>
          <pre dir="auto" className="font-mono text-sm break-words whitespace-pre-wrap">
            {s.text}
          </pre>
          {way && (
            <TextAction
              light
              className="text-xs"
              onClick={() =>
                way.setForm({
                  step: nextStep(way, s.step),
                  stepInputs: Object.fromEntries(steps.map((o) => [o.step, o.text])),
                })
              }
            >
              Try the step after it alone, from this
            </TextAction>
          )}
        </details>
      ))}
    </>
  )
}

function nextStep(way: WayProps, step: string): string {
  const steps = stepsOf(way.copy.messages)
  return steps[steps.indexOf(step) + 1] ?? ''
}

/** Complete or cut, tokens, time and price. */
function tookInWords(r: Result): string {
  return [
    endedInWords(r.finish_reason),
    plural(r.tokens_out, 'token'),
    r.latency_ms > 0 && seconds(r.latency_ms),
    r.cost !== null && money(r.cost),
    r.attempts > 1 && `${r.attempts} attempts`,
  ]
    .filter(Boolean)
    .join(' · ')
}

/** The total, and the first thing that is not as asked; all of it on a press. */
function Fare({ result: r, all, onAll }: { result: Result; all: boolean; onAll: () => void }) {
  const missed = r.form.find((c) => !c.ok)
  const low = r.scores.find((s) => s.score !== null && s.score < 1)
  const words = missed
    ? `${missed.what}: ${missed.why}`
    : low
      ? `${low.measure}: ${low.why}`
      : r.form.length + r.scores.length > 0
        ? 'keeps what is asked'
        : ''
  if (words === '') return null
  return (
    <p className="flex items-baseline gap-2 text-xs">
      {r.total !== null && (
        <span className="px-1 font-mono" style={rampColours(rampStep(r.total))}>
          {score(r.total)}
        </span>
      )}
      <button
        type="button"
        aria-expanded={all}
        className={`min-w-0 truncate text-left hover:underline ${missed ? 'text-harm' : 'text-soft'}`}
        title={words}
        onClick={onAll}
      >
        {words}
      </button>
    </p>
  )
}

function Comment({ comment, onSay }: { comment: string; onSay: (text: string) => void }) {
  const [text, setText] = useState(comment)
  return (
    <input
      aria-label="What is to be said of it"
      placeholder="what is to be said of it"
      maxLength={2000}
      className="mt-1 w-full border-b border-rule bg-transparent py-0.5 font-serif text-sm"
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={() => text !== comment && onSay(text)}
      onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
    />
  )
}
