import { caseName } from '@/parts/caseName'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { askAfresh, useOutput } from '@/api/trials'
import { BEYOND_WORDS, isBeyond, Reasoning } from '@/parts/Reasoning'
import { ErrorLine, Simulated, TextAction, Waiting } from '@/parts/controls'
import { endedInWords } from '@/parts/ended'
import { count, money, seconds } from '@/parts/numbers'
import { ScoreChip } from '@/parts/ScoreChip'
import { Reference } from './CorrectReference'
import { Doubt } from './Doubt'
import { useTrialAction } from './HaltAndContinue'
import { Turns } from './Turns'
import { AskedTwins, twinsInShort } from './twins/AskedTwins'

type Output = Schemas['OutputShape']

type Props = {
  id: number
  close: () => void
  /** Show another output in its place. */
  onOther?: (id: number) => void
  /** Its trial has ended, so that the answer can be asked for again. */
  resting?: boolean
}

/** One answer whole: the input, the messages exactly as sent, the answer, each score and why. */
export function OutputView({ id, close, onOther, resting = false }: Props) {
  const output = useOutput(id)
  if (output.isPending) return <Waiting what="the answer" />
  if (output.isLoadingError) return <ErrorLine>{inWords(output.error)}</ErrorLine>
  const o = output.data
  return (
    <article className="grid gap-5">
      <header className="flex items-baseline gap-3 border-b-2 border-ink pb-2">
        <h2 className="text-xl">Case {caseName(o.case)}</h2>
        <span className="min-w-0 truncate text-sm text-soft">
          {o.arm.letter}: {o.arm.in_words}, {o.arm.settings_short}
          {o.repeat > 0 && `, repeat ${o.repeat + 1}`}
        </span>
        {o.arm.simulated && <Simulated />}
        {o.arm.brought_in && <span className="text-xs text-inform">brought in</span>}
        <button type="button" className="ml-auto text-sm text-soft hover:text-ink" onClick={close}>
          Close
        </button>
      </header>
      <Inputs inputs={o.case.inputs} />
      <section>
        <h2 className="mb-1 text-base">Answer</h2>
        <AnswerText output={o} />
        {o.current && !o.failure && <Doubt key={o.id} output={o} />}
        <p className="mt-1 text-xs text-soft">
          {[
            endedInWords(o.finish_reason),
            o.tokens_in !== null && `${o.tokens_in} tokens in, ${o.tokens_out ?? 0} out`,
            o.cost !== null && money(o.cost),
            o.latency_ms !== null && seconds(o.latency_ms),
            o.first_ms !== null && `first word ${seconds(o.first_ms)}`,
          ]
            .filter(Boolean)
            .join(' · ')}
        </p>
      </section>
      <Reference key={o.id} output={o} />
      <Scores output={o} />
      {o.twins.length > 0 && (
        <section>
          <h2 className="mb-1 text-base">
            Twins of the case:{' '}
            <span className="font-normal text-soft">{twinsInShort(o.twins)}</span>
          </h2>
          <AskedTwins key={o.id} twins={o.twins} />
        </section>
      )}
      {o.mark && (
        <p className="text-sm">
          Marked <strong>{o.mark.judgement}</strong> by {o.mark.reader}
          {o.mark.comment && `: “${o.mark.comment}”`}
        </p>
      )}
      {onOther && <Former output={o} onOther={onOther} />}
      {onOther && resting && o.current && !o.arm.brought_in && (
        <AskAgain output={o} close={close} />
      )}
      <Calls output={o} />
    </article>
  )
}

/** Answers to the same request that this one took the place of, and the other way round. */
function Former({ output, onOther }: { output: Output; onOther: (id: number) => void }) {
  if (output.former.length === 0) return null
  return (
    <section>
      <h2 className="mb-1 text-base">
        {output.current ? 'Former answers' : 'This answer has been replaced'}
      </h2>
      <FormerAnswers output={output} onOther={onOther} />
    </section>
  )
}

/** Each of them with when it came and what it cost. */
export function FormerAnswers({
  output,
  onOther,
}: {
  output: Output
  onOther: (id: number) => void
}) {
  return (
    <>
      {output.former.map((f) => (
        <p key={f.id} className="border-b border-rule py-1 text-sm">
          <TextAction onClick={() => onOther(f.id)}>
            {f.failure ? 'Failed call' : f.outcome}
          </TextAction>{' '}
          <span className="text-soft">
            {new Date(f.created_at).toLocaleString('en-GB', {
              dateStyle: 'medium',
              timeStyle: 'short',
            })}
            {f.cost !== null && `, ${money(f.cost)}`}
          </span>
        </p>
      ))}
    </>
  )
}

function AskAgain({ output, close }: { output: Output; close: () => void }) {
  const { run, problem } = useTrialAction(output.trial)
  const again = async () => {
    const done = await run(() =>
      askAfresh(output.trial, { output: output.id, arm: null, budget: null }),
    )
    if (done) close()
  }
  return (
    <p className="text-sm">
      <TextAction onClick={() => void again()}>Ask this one again</TextAction>{' '}
      <span className="text-soft">
        It is paid for anew; this answer stays beside the new one and counts no more.
      </span>
      {problem !== null && <span className="ml-2 text-harm">{inWords(problem)}</span>}
    </p>
  )
}

export function Inputs({ inputs }: { inputs: Record<string, unknown> }) {
  return (
    <>
      {Object.entries(inputs).map(([name, value]) => (
        <section key={name}>
          <p className="text-xs text-soft">{name}</p>
          <p className="font-serif text-lg whitespace-pre-wrap break-words">
            {value === null || value === ''
              ? '(empty)'
              : typeof value === 'string'
                ? value
                : JSON.stringify(value)}
          </p>
        </section>
      ))}
    </>
  )
}

/** The answer as plain text; what is no answer says so. */
export function AnswerText({ output }: { output: Output }) {
  return (
    <>
      {output.outcome !== 'answered' && (
        <p className="mb-2 border-l-2 border-harm bg-wash-harm px-3 py-1.5 text-sm text-harm">
          <strong>{output.outcome}</strong>: {output.why}
        </p>
      )}
      {output.reasoning && <Reasoning>{output.reasoning}</Reasoning>}
      {output.turns.length > 0 && <Turns turns={output.turns} />}
      {output.arm.simulated && isBeyond(output.text) && (
        <p className="mb-2 border-l-2 border-inform bg-wash-inform px-3 py-1.5 text-sm">
          {BEYOND_WORDS}
        </p>
      )}
      {output.text && output.turns.length === 0 && (
        <pre className="border-l-2 border-ink bg-sheet px-3 py-2 font-mono text-sm whitespace-pre-wrap break-words">
          {output.text}
        </pre>
      )}
    </>
  )
}

export function Scores({ output }: { output: Output }) {
  if (output.scores.length === 0) return null
  return (
    <section>
      <h2 className="mb-1 text-base">Scores</h2>
      <table className="w-full text-sm">
        <tbody>
          {[...output.scores, { measure: 'total', score: output.total, why: output.total_why }].map(
            (s) => (
              <tr key={s.measure} className="border-b border-rule align-top last:font-semibold">
                <td className="w-14 py-1.5">
                  <ScoreChip value={s.score} />
                </td>
                <td className="w-40 py-1.5 pr-3">{s.measure}</td>
                <td className="py-1.5 font-normal break-words text-soft">{s.why}</td>
              </tr>
            ),
          )}
        </tbody>
      </table>
    </section>
  )
}

function Calls({ output }: { output: Output }) {
  const [open, setOpen] = useState(true)
  if (output.calls.length === 0) return null
  return (
    <section>
      <button
        type="button"
        className="mb-1 font-serif text-base font-semibold"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        {open ? '▾' : '▸'} Exactly as sent
      </button>
      {open && <CallRows output={output} />}
    </section>
  )
}

/** Every call of an answer: its messages as sent, and what came back beside the text. */
export function CallRows({ output }: { output: Output }) {
  return (
    <>
      {output.calls.map((c) => (
        <div key={c.position} className="mb-3">
          {output.calls.length > 1 && (
            <p className="text-sm font-semibold">
              {titleOf(c)}
              {c.failure && (
                <span className="text-harm">, failed: {c.failure.replaceAll('_', ' ')}</span>
              )}
            </p>
          )}
          {c.messages.map((m, i) => (
            <div key={i} className="mb-2">
              <p className="text-xs text-soft">{m.role}</p>
              <pre className="border-l-2 border-rule-strong bg-sheet px-3 py-1.5 font-mono text-xs whitespace-pre-wrap break-words">
                {m.content}
              </pre>
            </div>
          ))}
          {c.tool_calls.map((t, n) => (
            <p key={n} className="font-mono text-xs break-words">
              It called the tool {t.name || '(without a name)'} with {t.arguments || 'nothing'}
            </p>
          ))}
          {c.refusal && (
            <p className="text-xs text-harm">Refused, in a field of its own: “{c.refusal}”</p>
          )}
          {(c.part === 'judgement' || c.part === 'twin') && (
            <pre className="border-l-2 border-ink bg-sheet px-3 py-1.5 font-mono text-xs break-words whitespace-pre-wrap">
              {c.text}
            </pre>
          )}
          <p className="font-mono text-2xs break-words text-soft">{JSON.stringify(c.settings)}</p>
          <p className="text-xs text-soft">
            {c.model_identity && `answered by ${c.model_identity}`}
            {c.reused &&
              `, from the store: had on ${new Date(c.answered_at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })}, not paid for again`}
            {c.part !== 'answer' && c.cost !== null && `, ${money(c.cost)}`}
            {c.attempts > 1 && `, ${c.attempts} attempts`}
            {c.wasted > 0 && `, about ${count(c.wasted)} tokens spent on attempts that broke off`}
            {c.tokens_reasoning !== null && `, ${c.tokens_reasoning} tokens of reasoning`}
            {c.tokens_cached !== null && c.tokens_cached > 0 && `, ${c.tokens_cached} cached`}
            {c.tokens_estimated && ', tokens estimated: the server reported none'}
          </p>
        </div>
      ))}
    </>
  )
}

function titleOf(c: Output['calls'][number]): string {
  if (c.part === 'judgement')
    return c.continues
      ? `${c.model} asked once more for ${c.step}: its reply could not be read`
      : `Judged for ${c.step} by ${c.model}`
  if (c.part === 'twin')
    return c.continues ? 'Asked to go on where it was cut' : `A twin of the case, for ${c.step}`
  if (c.part === 'user') return `The user played by ${c.model}`
  if (c.continues) return 'Asked to go on where it was cut'
  return c.step ? `Step ${c.step}` : `Call ${c.position + 1}`
}
