import { Link } from 'react-router'
import type { Schemas } from '@/api/client'
import { KeyCaps } from '@/keys/KeyCaps'
import { KeyHints } from '@/keys/KeyHints'
import { KEYS, type KeyName } from '@/keys/registry'
import { Note } from '@/parts/Margin'
import { Area, Button, ErrorLine, TextAction } from '@/parts/controls'
import { useTyped } from '@/parts/typed'
import { FaultKinds, leave } from './FaultKinds'
import type { MarkDraft } from './draft'
import type { Judgement } from './passing'

const MARKS: { judgement: Judgement; key: KeyName; words: string }[] = [
  { judgement: 'good', key: 'review.good', words: 'send it as it is' },
  { judgement: 'usable', key: 'review.usable', words: 'after a small change' },
  { judgement: 'bad', key: 'review.bad', words: 'not usable' },
]

const HINTS: [KeyName[], string][] = [
  [['review.next', 'review.before'], 'next, before'],
  [['review.wordsBack', 'review.words'], 'choose words'],
  [['review.comment'], 'comment'],
  [['review.fault'], 'fault'],
  [['review.better'], 'better answer'],
  [['review.precedent'], 'precedent'],
  [['review.undo'], 'undo'],
]

type Props = {
  draft: MarkDraft
  mine: Judgement | undefined
  stored: Schemas['MarkShape'] | null
  kinds: string[]
  /** How often each kind was named in this brief. */
  counts: Record<string, number>
  place: { quote: string } | null
  problem: string | null
  onChange: (d: MarkDraft) => void
  onMark: (j: Judgement) => void
  onComment: (text: string) => void
  onUndo: (() => void) | null
  onPrecedent: (() => void) | null
  /** The precedent is of the answer marked last, not of this one. */
  ofLast: boolean
  /** Where the draft takes this answer's better one as an example. */
  exampleAt: string
}

/** Everything a reader can say of an answer, beside it. */
export function MarkPanel({
  draft,
  mine,
  stored,
  kinds,
  counts,
  place,
  problem,
  onChange,
  onMark,
  onComment,
  onUndo,
  onPrecedent,
  ofLast,
  exampleAt,
}: Props) {
  const [words, setWords] = useTyped('words on an answer', '')
  return (
    <>
      <div className="grid gap-1.5">
        {MARKS.map((m) => (
          <button
            key={m.judgement}
            type="button"
            aria-pressed={mine === m.judgement}
            onClick={() => onMark(m.judgement)}
            className="flex items-baseline gap-3 rounded-sm border border-rule-strong bg-sheet px-3 py-1.5 text-left hover:border-ink aria-pressed:border-2 aria-pressed:border-ink"
          >
            <KeyCaps of={m.key} />
            <span className="font-serif text-base font-semibold">{m.judgement}</span>
            <span className="text-xs text-soft">{m.words}</span>
          </button>
        ))}
      </div>
      {problem && (
        <ErrorLine>The mark was not stored, what you said is still here. {problem}</ErrorLine>
      )}
      {place && (
        <form
          className="border-l-2 border-inform pl-2.5"
          onSubmit={(e) => {
            e.preventDefault()
            if (words.trim()) onComment(words.trim())
            setWords('')
          }}
        >
          <p className="mb-1 line-clamp-2 font-mono text-xs break-words">“{place.quote}”</p>
          <label className="block text-xs text-soft">
            About these words; Enter keeps it
            <input
              data-span-comment
              className="mt-1 h-8 w-full rounded-sm border border-rule-strong bg-sheet px-2 text-sm text-ink"
              value={words}
              onChange={(e) => setWords(e.target.value)}
            />
          </label>
        </form>
      )}
      {draft.spans.map((s, i) => (
        <Note
          key={i}
          tone="attention"
          title={`“${s.quote.length > 40 ? `${s.quote.slice(0, 39)}…` : s.quote}”`}
        >
          {s.comment}{' '}
          <TextAction
            light
            className="font-sans text-xs"
            onClick={() => onChange({ ...draft, spans: draft.spans.filter((_, j) => j !== i) })}
          >
            Remove
          </TextAction>
        </Note>
      ))}
      <Area
        label="Comment on the whole; kept with the mark"
        data-comment
        rows={3}
        value={draft.comment}
        onChange={(e) => onChange({ ...draft, comment: e.target.value })}
        onKeyDown={leave}
      />
      <FaultKinds draft={draft} kinds={kinds} counts={counts} onChange={onChange} />
      <Area
        label="A better answer, where you know one"
        data-better
        rows={draft.better ? 5 : 2}
        className="[&_textarea]:font-mono [&_textarea]:text-xs"
        value={draft.better}
        onChange={(e) => onChange({ ...draft, better: e.target.value })}
        onKeyDown={leave}
      />
      {stored && mine && (
        <Note title={`Marked ${stored.judgement}`}>
          {[
            stored.comment,
            stored.faults.join(', '),
            ...stored.spans.map((s) => `“${s.quote}”: ${s.comment}`),
          ]
            .filter(Boolean)
            .join('. ') || 'No comment.'}{' '}
          A new mark replaces it; this one stays in history.
          {stored.better && (
            <Link
              className="mt-1 block font-sans text-xs font-semibold text-action underline"
              to={exampleAt}
            >
              Put the better answer into the draft as a worked example
            </Link>
          )}
        </Note>
      )}
      <KeyHints rows={HINTS} />
      {(onUndo ?? onPrecedent) && (
        <div className="flex flex-wrap gap-2">
          {onPrecedent && (
            <Button small onClick={onPrecedent} title={KEYS['review.precedent'].chords[0]}>
              Precedent from {ofLast ? 'the last mark' : 'this mark'}…
            </Button>
          )}
          {onUndo && (
            <Button small onClick={onUndo}>
              Take the last mark back
            </Button>
          )}
        </div>
      )}
    </>
  )
}
