import type { EditorView } from '@codemirror/view'
import { useMemo } from 'react'
import { PromptText } from './PromptText'
import { marksOf, type Report } from './useReport'
import type { DraftMessage } from './workingCopy'

type Props = {
  message: DraftMessage
  index: number
  count: number
  example: boolean
  steps: string[]
  report: Report | undefined
  valueOf: (name: string) => string
  names: string[]
  onText: (content: string) => void
  onRole: (role: string) => void
  onStep: (step: string | null) => void
  onMove: (by: number) => void
  onTakeOut: () => void
  onClauses: (numbers: number[]) => void
  onView: (view: EditorView | null) => void
}

const QUIET = 'text-xs text-soft hover:text-ink disabled:opacity-40'
const SELECT =
  'h-6 rounded-sm border border-transparent bg-transparent px-0.5 text-xs text-soft hover:border-rule-strong'

/** One message: its role, its step, and its text. */
export function MessageEditor(p: Props) {
  const { message, index, report } = p
  const marks = useMemo(() => marksOf(report, index), [report, index])
  return (
    <section
      className="group relative isolate border-b border-rule pt-1"
      aria-label={`Message ${index + 1}`}
    >
      {/* In the gutter, beside the first line. */}
      <select
        aria-label={`Role of message ${index + 1}`}
        title="role"
        className={`absolute top-[0.55rem] left-11 z-10 w-[3.9rem] appearance-none ${SELECT}`}
        value={message.role}
        onChange={(e) => p.onRole(e.target.value)}
      >
        {['system', 'user', 'assistant'].map((r) => (
          <option key={r}>{r}</option>
        ))}
      </select>
      <PromptText
        label={`Text of message ${index + 1}, ${message.role}`}
        hint={
          message.role === 'system'
            ? 'Who the model is, what it must do, in which form…'
            : 'The input: {{message}}'
        }
        value={message.content}
        marks={marks}
        valueOf={p.valueOf}
        names={p.names}
        onChange={p.onText}
        onClauses={p.onClauses}
        onView={p.onView}
      />
      {/* Its place is kept, so that no line moves when the tools come. */}
      <div className="flex h-6 items-center gap-3 pl-[6.75rem]">
        {p.steps.length > 0 && (
          <select
            aria-label={`Step of message ${index + 1}`}
            className={SELECT}
            value={message.step ?? ''}
            onChange={(e) => p.onStep(e.target.value === '' ? null : e.target.value)}
          >
            <option value="">{message.role === 'system' ? 'in every step' : 'in no step'}</option>
            {p.steps.map((s) => (
              <option key={s} value={s}>
                in “{s}”
              </option>
            ))}
          </select>
        )}
        {p.example && <span className="text-xs text-soft">worked example</span>}
        {p.count > 1 && (
          <span className="invisible ml-auto flex gap-3 group-focus-within:visible group-hover:visible">
            <button
              type="button"
              className={QUIET}
              disabled={index === 0}
              onClick={() => p.onMove(-1)}
            >
              Up
            </button>
            <button
              type="button"
              className={QUIET}
              disabled={index === p.count - 1}
              onClick={() => p.onMove(1)}
            >
              Down
            </button>
            <button
              type="button"
              className="text-xs text-soft hover:text-harm"
              onClick={p.onTakeOut}
            >
              Remove
            </button>
          </span>
        )}
      </div>
    </section>
  )
}
