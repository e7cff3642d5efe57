import { autocompletion, type Completion, type CompletionContext } from '@codemirror/autocomplete'
import type { EditorView } from '@codemirror/view'

/** After two braces the names that can stand there: columns of the cases, placeholders of the text, steps. */
export function completing(names: () => string[]) {
  const offer = (context: CompletionContext) => {
    const before = context.matchBefore(/\{\{[#^/&]?[ \t]*[^{}\s]*$/)
    if (!before) return null
    const typed = /[^{}#^/&\s]*$/.exec(before.text)?.[0] ?? ''
    const options = names().map((label): Completion => ({ label, apply: putIn }))
    return options.length > 0
      ? { from: context.pos - typed.length, options, validFor: /^[^{}\s]*$/ }
      : null
  }
  return autocompletion({ override: [offer], icons: false })
}

/** The name, and the braces that close it where they do not stand there yet. */
function putIn(view: EditorView, { label }: Completion, from: number, to: number) {
  const closed = view.state.sliceDoc(to, to + 2) === '}}'
  const insert = closed ? label : `${label}}}`
  view.dispatch({
    changes: { from, to, insert },
    selection: { anchor: from + label.length + 2 },
  })
}
