import type { EditorView } from '@codemirror/view'
import { type ReactNode, type RefObject, useState } from 'react'
import { TextAction } from '@/parts/controls'
import { MessageEditor } from './MessageEditor'
import type { Report } from './useReport'
import {
  addStep,
  type DraftMessage,
  newMessage,
  renameStep,
  stepsOf,
  type WorkingCopy,
} from './workingCopy'

type Props = {
  copy: WorkingCopy
  report: Report | undefined
  views: RefObject<Map<string, EditorView>>
  valueOf: (name: string) => string
  names: string[]
  change: (make: (c: WorkingCopy) => WorkingCopy, key?: string) => void
  onClauses: (numbers: number[]) => void
}

/** The messages of the text under work, and its steps where it needs several calls. */
export function ClausesView({ copy, report, views, valueOf, names, change, onClauses }: Props) {
  const { messages } = copy
  const steps = stepsOf(messages)
  const set = (make: (m: DraftMessage[]) => DraftMessage[], key = '') =>
    change((c) => ({ ...c, messages: make(c.messages) }), key)
  const edit = (id: string, part: Partial<DraftMessage>, key = '') =>
    set((all) => all.map((m) => (m.id === id ? { ...m, ...part } : m)), key)
  const move = (index: number, by: number) =>
    set((all) => {
      const next = [...all]
      const [taken] = next.splice(index, 1)
      if (taken) next.splice(index + by, 0, taken)
      return next
    })
  return (
    <>
      {steps.length > 0 && (
        <Steps names={steps} rename={(from, to) => set((all) => renameStep(all, from, to))} />
      )}
      {messages.map((message, index) => (
        <MessageEditor
          key={message.id}
          message={message}
          index={index}
          count={messages.length}
          example={isExample(messages, index)}
          steps={steps}
          report={report}
          valueOf={valueOf}
          names={names}
          onText={(content) => edit(message.id, { content }, `text ${message.id}`)}
          onRole={(role) => edit(message.id, { role })}
          onStep={(step) => edit(message.id, { step })}
          onMove={(by) => move(index, by)}
          onTakeOut={() => set((all) => all.filter((m) => m.id !== message.id))}
          onClauses={onClauses}
          onView={(view) => {
            if (view) views.current.set(message.id, view)
            else views.current.delete(message.id)
          }}
        />
      ))}
      <AddTo>
        {['system', 'user', 'assistant'].map((role) => (
          <TextAction
            key={role}
            onClick={() =>
              set((all) => [
                ...all,
                newMessage(role, '', role === 'system' ? null : (steps.at(-1) ?? null)),
              ])
            }
          >
            Add {role === 'assistant' ? 'an' : 'a'} {role} message
          </TextAction>
        ))}
        <TextAction
          onClick={() => set(addStep)}
          title="A call of its own that reads what the one before answered"
        >
          Add a step
        </TextAction>
      </AddTo>
    </>
  )
}

/** One plus at the end of the text; what can be added comes with a press on it. */
function AddTo({ children }: { children: ReactNode }) {
  const [open, setOpen] = useState(false)
  return (
    <div className="mt-1 flex flex-wrap gap-x-4 gap-y-1 text-sm">
      {open ? (
        children
      ) : (
        <TextAction light onClick={() => setOpen(true)}>
          + Message or step
        </TextAction>
      )}
    </div>
  )
}

/** The steps in the order in which they run; each is one call from a clean context. */
function Steps({ names, rename }: { names: string[]; rename: (from: string, to: string) => void }) {
  const [editing, setEditing] = useState<{ from: string; to: string } | null>(null)
  const usable =
    editing !== null &&
    /^[\w-]+( [\w-]+)*$/.test(editing.to) &&
    (editing.to === editing.from || !names.includes(editing.to))
  return (
    <p className="mb-1 flex flex-wrap items-center gap-x-2 gap-y-1 border-b border-rule pb-2 text-xs text-soft">
      <span>{names.length} calls in a row:</span>
      {names.map((name, i) => (
        <span key={name} className="flex items-center gap-1">
          {i > 0 && <span>then</span>}
          {editing?.from === name ? (
            <input
              // eslint-disable-next-line jsx-a11y/no-autofocus -- it was asked for a moment ago
              autoFocus
              aria-label={`Name of step ${i + 1}`}
              aria-invalid={!usable}
              className="h-6 w-28 rounded-sm border border-rule-strong bg-sheet px-1 font-mono text-xs text-ink aria-invalid:border-harm"
              value={editing.to}
              onChange={(e) => setEditing({ from: name, to: e.target.value })}
              onKeyDown={(e) => {
                if (e.key === 'Enter' && usable) {
                  rename(name, editing.to)
                  setEditing(null)
                } else if (e.key === 'Escape') setEditing(null)
              }}
              onBlur={() => {
                if (usable && editing.to !== name) rename(name, editing.to)
                setEditing(null)
              }}
            />
          ) : (
            <button
              type="button"
              className="font-mono text-ink underline decoration-dotted underline-offset-2"
              title="rename"
              onClick={() => setEditing({ from: name, to: name })}
            >
              {name}
            </button>
          )}
        </span>
      ))}
      <span>· a later one reads {`{{steps.${names[0]}}}`}</span>
    </p>
  )
}

function isExample(messages: DraftMessage[], index: number): boolean {
  const role = messages[index]?.role
  return role === 'assistant' || (role === 'user' && messages[index + 1]?.role === 'assistant')
}
