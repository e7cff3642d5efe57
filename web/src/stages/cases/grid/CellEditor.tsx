import { useEffect, useId, useRef, useState, type KeyboardEvent } from 'react'
import { REFERENCE, SPLIT, type Column } from './model'

type Props = {
  column: Column
  text: string
  labels: string[]
  problem: string | null
  onCommit: (text: string, move: { rows: number; columns: number }) => void
  onLeave: () => void
}

const STAY = { rows: 0, columns: 0 }

/** The field in a cell: Enter keeps and goes down, Tab keeps and goes on, Esc leaves it as it was. */
export function CellEditor({ column, text, labels, problem, onCommit, onLeave }: Props) {
  const [value, setValue] = useState(text)
  const field = useRef<HTMLTextAreaElement & HTMLInputElement & HTMLSelectElement>(null)
  const id = useId()
  // Enter, then the loss of focus that follows from it, must not save twice.
  const done = useRef(false)
  useEffect(() => {
    field.current?.focus()
    const end = field.current?.value.length ?? 0
    if (column.key !== SPLIT) field.current?.setSelectionRange(end, end)
  }, [column.key])
  useEffect(() => {
    if (problem) done.current = false
  }, [problem])
  const keep = (move: { rows: number; columns: number }, said = value) => {
    if (done.current) return
    done.current = true
    onCommit(said, move)
  }
  const onKey = (e: KeyboardEvent) => {
    e.stopPropagation()
    if (e.key === 'Escape') {
      done.current = true
      onLeave()
    } else if (e.key === 'Tab') keep({ rows: 0, columns: e.shiftKey ? -1 : 1 })
    else if (e.key === 'Enter' && !e.shiftKey && !e.altKey) keep({ rows: 1, columns: 0 })
    else return
    e.preventDefault()
  }
  const common = {
    ref: field,
    value,
    onKeyDown: onKey,
    onBlur: () => keep(STAY),
    'aria-label': column.name,
    'aria-invalid': problem ? true : undefined,
    'aria-describedby': problem ? `${id}-why` : undefined,
  }
  const look =
    'block w-full rounded-sm border border-action bg-sheet px-1 text-sm shadow-lg outline-none aria-invalid:border-harm'
  const long = column.kind !== 'number' && column.kind !== 'label'
  return (
    <div className="absolute top-0 left-0 z-20 w-full min-w-44">
      {column.key === SPLIT ? (
        <select
          {...common}
          className={`${look} h-8`}
          onChange={(e) => {
            setValue(e.target.value)
            keep(STAY, e.target.value)
          }}
        >
          <option value="working">working</option>
          <option value="held-out">held out</option>
        </select>
      ) : long ? (
        <textarea
          {...common}
          rows={Math.min(9, Math.max(2, Math.ceil(value.length / 38), value.split('\n').length))}
          className={`${look} resize-y py-1 ${column.kind === 'json' || column.key === REFERENCE ? 'font-mono text-xs' : ''}`}
          onChange={(e) => setValue(e.target.value)}
        />
      ) : (
        <>
          <input
            {...common}
            list={column.kind === 'label' ? `${id}-labels` : undefined}
            inputMode={column.kind === 'number' ? 'decimal' : undefined}
            className={`${look} h-8`}
            onChange={(e) => setValue(e.target.value)}
          />
          {column.kind === 'label' && (
            <datalist id={`${id}-labels`}>
              {labels.map((l) => (
                <option key={l} value={l} />
              ))}
            </datalist>
          )}
        </>
      )}
      {problem && (
        <p
          id={`${id}-why`}
          role="alert"
          className="border border-t-0 border-harm bg-wash-harm px-1.5 py-1 text-xs text-harm"
        >
          {problem}
        </p>
      )}
    </div>
  )
}
