import { lazy, Suspense, useRef, type RefObject } from 'react'
import type { Schemas } from '@/api/client'
import { segments, type Span } from './draft'
import { selectionIn } from './offsets'

// Few answers are Markdown: what sets it is loaded when one is.
const MarkdownView = lazy(() => import('@/parts/MarkdownView'))

type Place = { start: number; end: number }
type Props = {
  output: Schemas['OutputShape']
  spans: Span[]
  chosen: Place | null
  onChoose: (place: Place | null) => void
}

/** An answer whose words can be commented on: selected, or stepped through by keys. */
export function AnswerToMark({ output, spans, chosen, onChoose }: Props) {
  const box = useRef<HTMLPreElement>(null)
  return (
    <>
      {output.outcome !== 'answered' && (
        <p className="mb-2 border-l-2 border-harm bg-wash-harm px-3 py-1.5 text-sm text-harm">
          <strong>{output.outcome}</strong>: {output.why}
        </p>
      )}
      {output.text && (
        <Text box={box} text={output.text} spans={spans} chosen={chosen} onChoose={onChoose} />
      )}
      {isJson(output.text) && (
        <details className="mt-1 text-sm">
          <summary className="cursor-pointer text-xs text-soft">set for reading</summary>
          <pre className="border-l-2 border-rule-strong px-3 py-1 font-mono text-xs whitespace-pre-wrap break-words">
            {JSON.stringify(JSON.parse(output.text), null, 2)}
          </pre>
        </details>
      )}
      {isMarkdown(output.text) && (
        <details className="mt-1 text-sm">
          <summary className="cursor-pointer text-xs text-soft">set for reading</summary>
          <Suspense fallback={null}>
            <MarkdownView text={output.text} />
          </Suspense>
        </details>
      )}
    </>
  )
}

/** Marks that a text uses Markdown for its form, not a stray asterisk. */
function isMarkdown(text: string): boolean {
  return (
    !isJson(text) &&
    /^#{1,6} \S|^\s*(?:[-*+]|\d+[.)]) \S.*\n\s*(?:[-*+]|\d+[.)]) \S|\*\*\S[^*\n]*\*\*|^\s*(?:```|>)|\[[^\]\n]+\]\([^)\n]+\)/m.test(
      text,
    )
  )
}

function Text({
  box,
  text,
  spans,
  chosen,
  onChoose,
}: { box: RefObject<HTMLPreElement | null>; text: string } & Omit<Props, 'output'>) {
  return (
    // A selection made with the mouse is what a comment will be on; the keys [ and ] do the same.
    // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
    <pre
      ref={box}
      aria-label="Answer"
      dir="auto"
      className="border-l-2 border-ink bg-sheet px-3 py-2 font-mono text-sm whitespace-pre-wrap break-words"
      onMouseUp={() => {
        const place = selectionIn(box.current, text)
        if (place) onChoose(place)
      }}
    >
      {segments(text, spans, chosen).map((s) => (
        <span
          key={s.start}
          data-chosen={s.chosen || undefined}
          className={`${s.spans.length ? 'border-b-2 border-attention bg-wash-attention' : ''} ${s.chosen ? 'bg-wash-inform outline outline-inform' : ''}`}
          title={
            s.spans
              .map((i) => spans[i]?.comment)
              .filter(Boolean)
              .join('\n') || undefined
          }
        >
          {s.text}
        </span>
      ))}
    </pre>
  )
}

function isJson(text: string): boolean {
  if (!/^\s*[{[]/.test(text)) return false
  try {
    JSON.parse(text)
    return true
  } catch {
    return false
  }
}
