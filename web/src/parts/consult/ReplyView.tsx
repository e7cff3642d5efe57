import { useState, type ReactNode } from 'react'
import { Area, Button, ErrorLine, Simulated, TextAction } from '../controls'
import { costInWords, plural } from '../numbers'
import { firstLines } from './words'
import type { Consultation, Consulting } from './useConsultation'
import { useTyped } from '@/parts/typed'

type Props = { consulting: Consulting; found: Consultation; children: ReactNode }

/** How a reply was read, what could not be taken and why; its text can be put right without paying. */
export function ReplyView({ consulting, found, children }: Props) {
  const [open, setOpen] = useState(found.reading === null)
  const [text, setText] = useTyped(`reply ${found.id}`, found.text)
  const { reading, tries } = found
  const last = tries.at(-1)
  const failed = found.problem !== ''
  return (
    <section aria-label="Reply" className="grid min-w-0 gap-2 border-t border-rule pt-3">
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1 text-sm">
        <span>
          Reply of {found.model} {found.simulated && <Simulated />}
        </span>
        <span className={failed ? 'font-semibold text-harm' : 'font-semibold'}>
          {howRead(found)}
        </span>
        <span className="text-soft">
          {found.cost !== null && `${costInWords(found.cost, found.simulated ? found.cost : 0)}, `}
          {last ? `${last.seconds.toFixed(1)} s` : ''}
        </span>
        <span className="ml-auto flex gap-3">
          {found.text && (
            <TextAction light aria-expanded={open} onClick={() => setOpen(!open)}>
              {open ? 'Hide its text' : 'Show or edit its text…'}
            </TextAction>
          )}
          <TextAction light onClick={() => void consulting.close(found.id, 'dropped')}>
            Drop it
          </TextAction>
        </span>
      </div>
      {tries.length > 1 && (
        <p className="text-sm text-soft">
          Its first reply could not be used: {tries[0]?.problem}. It was asked once more.
        </p>
      )}
      {failed && (
        <ErrorLine>
          Nothing could be read: {found.problem}
          {found.line > 0 && ` (line ${found.line})`}. The text is kept
          {found.simulated &&
            '; a simulated model works by rule and cannot judge every prompt: ask a real one'}
          .
        </ErrorLine>
      )}
      {reading?.repaired.length ? (
        <p className="border-l-2 border-attention pl-3 text-sm text-attention-text">
          Put in order: {reading.repaired.join('; ')}.
        </p>
      ) : null}
      {reading?.passed_over.length ? (
        <p className="border-l-2 border-rule-strong pl-3 text-sm text-soft">
          Passed over: {reading.passed_over.join('; ')}.
        </p>
      ) : null}
      {reading && reading.refused.length > 0 && (
        <p className="border-l-2 border-harm pl-3 text-sm text-harm">
          {plural(reading.refused.length, 'item')} refused: {firstLines(reading.refused)}.
        </p>
      )}
      {reading?.nothing && reading.refused.length === 0 && (
        <p className="border-l-2 border-attention pl-3 text-sm text-attention-text">
          Nothing to take: {reading.nothing}.
        </p>
      )}
      {open && (
        <div className="grid gap-2">
          {last?.reasoning && (
            <details className="text-sm text-soft">
              <summary className="cursor-pointer">Its reasoning</summary>
              <pre className="max-h-48 overflow-y-auto font-mono text-xs whitespace-pre-wrap">
                {last.reasoning}
              </pre>
            </details>
          )}
          <Area
            label="The reply as it is read"
            rows={Math.min(16, Math.max(4, text.split('\n').length))}
            className="[&_textarea]:font-mono [&_textarea]:text-xs"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <div className="flex gap-3">
            <Button
              lacks={[text === found.text && 'the reply was not changed']}
              onClick={() => void consulting.readAgain(found.id, text)}
            >
              Read it again, without a call
            </Button>
            {text !== found.text && (
              <TextAction light className="text-sm" onClick={() => setText(found.text)}>
                As it was
              </TextAction>
            )}
          </div>
        </div>
      )}
      {children}
    </section>
  )
}

function howRead(found: Consultation): string {
  if (found.problem) return found.text ? 'cannot be read' : 'did not come'
  const edited = found.edited ? 'edited by you, ' : ''
  return (
    edited + (found.reading?.repaired.length ? 'read after it was put in order' : 'read at once')
  )
}
