import { defaultKeymap } from '@codemirror/commands'
import {
  Annotation,
  Compartment,
  EditorState,
  type Extension,
  RangeSetBuilder,
  StateEffect,
  StateField,
} from '@codemirror/state'
import {
  Decoration,
  type DecorationSet,
  EditorView,
  gutter,
  GutterMarker,
  highlightSpecialChars,
  hoverTooltip,
  keymap,
  placeholder,
} from '@codemirror/view'
import { useEffect, useRef } from 'react'
import { editorKey } from '@/keys/registry'

// Undo is the whole text's and belongs to the page; so do the keys that change the view.
const PAGE_KEYS = [editorKey('draft.undo'), editorKey('draft.sent')]

export type Span = {
  start: number
  end: number
  kind: 'placeholder' | 'unfilled' | 'add' | 'amend' | 'move'
}
export type Numbered = { number: number; start: number }
/**
 * text: what the marks were made for; on another text they would stand in wrong places.
 * broken: the text cannot be read just now (a brace still open), so the former marks stay.
 */
export type Marks = { text: string; broken: boolean; spans: Span[]; clauses: Numbered[] }

// A text put in from outside (undo, a fix, another tab) is not typed again.
const fromOutside = Annotation.define<boolean>()

const setMarks = StateEffect.define<Marks>()

class ClauseNumber extends GutterMarker {
  constructor(readonly words: string) {
    super()
  }
  eq(other: ClauseNumber) {
    return other.words === this.words
  }
  toDOM() {
    const mark = document.createElement('span')
    mark.textContent = this.words
    mark.title = 'how this clause came to be (Alt H)'
    return mark
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

/** Clauses that begin on the line of a place in the text, or the one the place stands in. */
function clausesAt(view: EditorView, place: number): number[] {
  const line = view.state.doc.lineAt(place)
  const all = view.state.field(numbers)
  const here = all.filter((c) => c.start >= line.from && c.start <= line.to).map((c) => c.number)
  const before = all.filter((c) => c.start <= place).at(-1)
  return here.length ? here : before ? [before.number] : []
}

const clauseGutter = (onClauses: (numbers: number[]) => void) =>
  gutter({
    class: 'pt-numbers',
    domEventHandlers: {
      click: (view, line) => {
        const found = clausesAt(view, line.from)
        if (found.length) onClauses(found)
        return found.length > 0
      },
    },
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
        builder.add(
          line,
          line,
          new ClauseNumber(first === last ? `§ ${first}` : `§ ${first}–${last}`),
        )
      }
      return builder.finish()
    },
  })

const look = EditorView.theme({
  '&': { backgroundColor: 'transparent', color: 'var(--ink)', fontSize: '1.0625rem' },
  '&.cm-focused': { outline: 'none' },
  '.cm-content': {
    fontFamily: 'var(--font-serif)',
    lineHeight: '1.65rem',
    padding: '2px 0',
    caretColor: 'var(--ink)',
  },
  // Every line runs in the direction of its own script.
  '.cm-line': { padding: '1px 8px', unicodeBidi: 'plaintext' },
  '.cm-gutters': { backgroundColor: 'transparent', border: 'none', color: 'var(--ink-soft)' },
  '.pt-numbers .cm-gutterElement': {
    fontFamily: 'var(--font-sans)',
    fontSize: '0.75rem',
    lineHeight: '1.75rem',
    width: '6.25rem',
    textAlign: 'left',
    cursor: 'pointer',
  },
  '.pt-numbers .cm-gutterElement:hover': { color: 'var(--ink)', textDecoration: 'underline' },
  '.cm-specialChar': { color: 'var(--harm)' },
  '.cm-tooltip': {
    backgroundColor: 'var(--sheet)',
    color: 'var(--ink)',
    border: '1px solid var(--rule-strong)',
    borderRadius: '2px',
    fontFamily: 'var(--font-mono)',
    fontSize: '0.8125rem',
    padding: '6px 8px',
    maxWidth: '34rem',
    maxHeight: '16rem',
    overflow: 'hidden',
    whiteSpace: 'pre-wrap',
    boxShadow: '0 4px 14px rgb(0 0 0 / 0.12)',
  },
  '.pt-placeholder, .pt-unfilled': {
    fontFamily: 'var(--font-mono)',
    fontSize: '0.86em',
    padding: '1px 3px',
    backgroundColor: 'var(--wash-action)',
    borderBottom: '1px solid var(--action)',
  },
  '.pt-unfilled': { backgroundColor: 'var(--wash-harm)', borderBottom: '1px solid var(--harm)' },
  '.pt-add': { backgroundColor: 'var(--wash-action)', boxShadow: '-3px 0 0 var(--action)' },
  '.pt-amend': { backgroundColor: 'var(--wash-attention)', boxShadow: '-3px 0 0 var(--attention)' },
  '.pt-move': { backgroundColor: 'var(--wash-inform)', boxShadow: '-3px 0 0 var(--inform)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-placeholder': { color: 'var(--ink-soft)' },
})

/** The value that the chosen case puts into a placeholder, shown while one points at it. */
const chipValues = (valueOf: (name: string) => string) =>
  hoverTooltip(
    (view, place) => {
      const line = view.state.doc.lineAt(place)
      for (const match of line.text.matchAll(/\{\{\{?[#^&/!]?\s*([^{}]*?)\s*\}\}\}?/g)) {
        const start = line.from + match.index
        const end = start + match[0].length
        if (place < start || place > end) continue
        return {
          pos: start,
          end,
          above: true,
          create: () => {
            const dom = document.createElement('div')
            dom.textContent = valueOf(match[1] ?? '')
            return { dom }
          },
        }
      }
      return null
    },
    { hoverTime: 250 },
  )

type Props = {
  label: string
  hint: string
  value: string
  marks: Marks
  valueOf: (name: string) => string
  /** What can stand between two braces. */
  names: string[]
  onChange: (value: string) => void
  onClauses: (numbers: number[]) => void
  onView: (view: EditorView | null) => void
}

/** One message's text, set like a statute: clause numbers in the gutter, placeholders marked. */
export function PromptText({
  label,
  hint,
  value,
  marks,
  valueOf,
  names,
  onChange,
  onClauses,
  onView,
}: Props) {
  const host = useRef<HTMLDivElement>(null)
  const view = useRef<EditorView | null>(null)
  const latest = useRef({ onChange, onView, onClauses, valueOf, names })
  // What the editor holds: undo and other tabs may put in something else.
  const shown = useRef(value)
  // What was typed and has not come back as the value yet. On a busy machine an older text comes back
  // after a newer one was typed: taken for one from outside, it would put letters out of order.
  const typed = useRef<string[]>([])
  useEffect(() => {
    latest.current = { onChange, onView, onClauses, valueOf, names }
  })

  useEffect(() => {
    if (!host.current) return
    const more = new Compartment()
    const extensions: Extension = [
      clauseGutter((found) => latest.current.onClauses(found)),
      decorations,
      numbers,
      look,
      EditorView.lineWrapping,
      // Every other character is text: a carriage return is shown and kept, not taken for a line end.
      EditorState.lineSeparator.of('\n'),
      highlightSpecialChars(),
      EditorView.clipboardInputFilter.of((text) => text.replace(/\r\n?/g, '\n')),
      chipValues((name) => latest.current.valueOf(name)),
      keymap.of([
        {
          key: editorKey('draft.history'),
          run: (v) => {
            latest.current.onClauses(clausesAt(v, v.state.selection.main.head).slice(0, 1))
            return true
          },
        },
        ...defaultKeymap.filter((k) => !PAGE_KEYS.includes(k.key ?? '')),
      ]),
      placeholder(hint),
      more.of([]),
      EditorView.contentAttributes.of({ 'aria-label': label, spellcheck: 'true' }),
      EditorView.perLineTextDirection.of(true),
      EditorView.updateListener.of((update) => {
        if (!update.docChanged || update.transactions.some((t) => t.annotation(fromOutside))) return
        shown.current = update.state.doc.toString()
        typed.current.push(shown.current)
        latest.current.onChange(shown.current)
      }),
    ]
    const made = new EditorView({ parent: host.current, doc: value, extensions })
    view.current = made
    latest.current.onView(made)
    // Nobody waits for it: the text is there before.
    void import('./completing').then(({ completing }) => {
      if (view.current === made)
        made.dispatch({ effects: more.reconfigure(completing(() => latest.current.names)) })
    })
    return () => {
      latest.current.onView(null)
      view.current = null
      made.destroy()
    }
    // The editor is made once; a text from outside is put in below.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [])

  useEffect(() => {
    const editor = view.current
    const echo = typed.current.lastIndexOf(value)
    if (echo >= 0) typed.current.splice(0, echo + 1)
    if (!editor || echo >= 0 || value === shown.current) return
    typed.current = []
    editor.dispatch({
      changes: changeBetween(shown.current, value),
      annotations: fromOutside.of(true),
    })
    shown.current = value
  }, [value])

  useEffect(() => {
    if (marks.text === shown.current && !marks.broken)
      view.current?.dispatch({ effects: setMarks.of(marks) })
  }, [marks])

  return <div ref={host} />
}

/** The one stretch that differs, so that the cursor stays where it is. */
export function changeBetween(
  before: string,
  after: string,
): { from: number; to: number; insert: string } {
  let from = 0
  const most = Math.min(before.length, after.length)
  while (from < most && before[from] === after[from]) from += 1
  let tail = 0
  while (tail < most - from && before[before.length - 1 - tail] === after[after.length - 1 - tail])
    tail += 1
  return { from, to: before.length - tail, insert: after.slice(from, after.length - tail) }
}
