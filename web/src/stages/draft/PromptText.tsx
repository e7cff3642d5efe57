import { defaultKeymap, history, historyKeymap } from '@codemirror/commands'
import { type Extension, RangeSetBuilder, StateEffect, StateField } from '@codemirror/state'
import {
  Decoration,
  type DecorationSet,
  EditorView,
  gutter,
  GutterMarker,
  keymap,
  placeholder,
} from '@codemirror/view'
import { useEffect, useRef } from 'react'

export type Span = { start: number; end: number; kind: 'placeholder' | 'unfilled' | 'add' | 'amend' | 'move' }
export type Numbered = { number: number; start: number }
export type Marks = { spans: Span[]; clauses: Numbered[] }

const setMarks = StateEffect.define<Marks>()

class ClauseNumber extends GutterMarker {
  constructor(readonly words: string) {
    super()
  }
  eq(other: ClauseNumber) {
    return other.words === this.words
  }
  toDOM() {
    return document.createTextNode(this.words)
  }
}

const STYLES: Record<Span['kind'], Decoration> = {
  placeholder: Decoration.mark({ class: 'pt-placeholder' }),
  unfilled: Decoration.mark({ class: 'pt-unfilled' }),
  add: Decoration.mark({ class: 'pt-add' }),
  amend: Decoration.mark({ class: 'pt-amend' }),
  move: Decoration.mark({ class: 'pt-move' }),
}

const decorations = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(found, change) {
    let next = found.map(change.changes)
    for (const effect of change.effects) {
      if (effect.is(setMarks)) {
        const length = change.state.doc.length
        next = Decoration.set(
          effect.value.spans
            .filter((s) => s.start < s.end && s.end <= length)
            .map((s) => STYLES[s.kind].range(s.start, s.end)),
          true,
        )
      }
    }
    return next
  },
  provide: (field) => EditorView.decorations.from(field),
})

const numbers = StateField.define<Numbered[]>({
  create: () => [],
  update(found, change) {
    for (const effect of change.effects) if (effect.is(setMarks)) return effect.value.clauses
    if (!change.docChanged) return found
    return found.map((c) => ({ ...c, start: change.changes.mapPos(c.start, 1) }))
  },
})

const clauseGutter = gutter({
  class: 'pt-numbers',
  markers: (view) => {
    const builder = new RangeSetBuilder<GutterMarker>()
    const lines = new Map<number, number[]>()
    const doc = view.state.doc
    for (const c of view.state.field(numbers)) {
      const line = doc.lineAt(Math.min(c.start, doc.length)).from
      lines.set(line, [...(lines.get(line) ?? []), c.number])
    }
    for (const [line, found] of [...lines].sort(([a], [b]) => a - b)) {
      const first = found[0]
      const last = found.at(-1)
      builder.add(line, line, new ClauseNumber(first === last ? `§ ${first}` : `§ ${first}–${last}`))
    }
    return builder.finish()
  },
})

const look = EditorView.theme({
  '&': { backgroundColor: 'transparent', color: 'var(--ink)', fontSize: '1.0625rem' },
  '&.cm-focused': { outline: 'none' },
  '.cm-content': {
    fontFamily: 'var(--font-serif)', lineHeight: '1.65rem', padding: '2px 0', caretColor: 'var(--ink)',
  },
  '.cm-line': { padding: '1px 8px' },
  '.cm-gutters': { backgroundColor: 'transparent', border: 'none', color: 'var(--ink-soft)' },
  '.pt-numbers .cm-gutterElement': {
    fontFamily: 'var(--font-sans)', fontSize: '0.75rem', lineHeight: '1.75rem', width: '3.4rem', textAlign: 'left',
  },
  '.pt-placeholder, .pt-unfilled': {
    fontFamily: 'var(--font-mono)', fontSize: '0.86em', padding: '1px 3px',
    backgroundColor: 'var(--wash-action)', borderBottom: '1px solid var(--action)',
  },
  '.pt-unfilled': { backgroundColor: 'var(--wash-harm)', borderBottom: '1px solid var(--harm)' },
  '.pt-add': { backgroundColor: 'var(--wash-action)', boxShadow: '-3px 0 0 var(--action)' },
  '.pt-amend': { backgroundColor: 'var(--wash-attention)', boxShadow: '-3px 0 0 var(--attention)' },
  '.pt-move': { backgroundColor: 'var(--wash-inform)', boxShadow: '-3px 0 0 var(--inform)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-placeholder': { color: 'var(--ink-soft)' },
})

type Props = {
  label: string
  hint: string
  value: string
  marks: Marks
  onChange: (value: string) => void
  onView: (view: EditorView | null) => void
}

/** One message's text, set like a statute: clause numbers in the gutter, placeholders marked. */
export function PromptText({ label, hint, value, marks, onChange, onView }: Props) {
  const host = useRef<HTMLDivElement>(null)
  const view = useRef<EditorView | null>(null)
  const latest = useRef({ onChange, onView })
  useEffect(() => {
    latest.current = { onChange, onView }
  })

  useEffect(() => {
    if (!host.current) return
    const extensions: Extension = [
      clauseGutter, decorations, numbers, look, EditorView.lineWrapping, history(),
      keymap.of([...defaultKeymap, ...historyKeymap]), placeholder(hint),
      EditorView.contentAttributes.of({ 'aria-label': label, spellcheck: 'true' }),
      EditorView.updateListener.of((update) => {
        if (update.docChanged) latest.current.onChange(update.state.doc.toString())
      }),
    ]
    const made = new EditorView({ parent: host.current, doc: value, extensions })
    view.current = made
    latest.current.onView(made)
    return () => {
      latest.current.onView(null)
      made.destroy()
    }
    // The editor owns its text from here on; a new text comes with a new key.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [])

  useEffect(() => {
    view.current?.dispatch({ effects: setMarks.of(marks) })
  }, [marks])

  return <div ref={host} />
}
