import type { ReactNode } from 'react'
import type { Schemas } from '@/api/client'
import { TextAction } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { FACTS, PARTS } from './parts'

type Line = Schemas['ReadLine']
type LineProps = {
  line: Line
  /** How the newest stored answers would fare by its check. */
  fare: Schemas['FareShape'] | undefined
  busy: boolean
  onPlace: (message: number, start: number, end: number) => void
  onCheck: () => void
  onNot: () => void
  onRight: () => void
  /** What a model read is so. */
  onConfirm: () => void
  children: ReactNode
}

/** One part of the reading: its words on a press, its check, and what a person says of it. */
export function ReadLine({
  line,
  fare,
  busy,
  onPlace,
  onCheck,
  onNot,
  onRight,
  onConfirm,
  children,
}: LineProps) {
  const { message } = line
  const correctable = FACTS[line.part] !== undefined && message !== null
  return (
    // Dotted: read by a model, and certain only once a person says so.
    <li
      className={`group border-l-2 border-rule-strong pl-2.5 ${line.source === 'model' ? 'border-dotted' : ''}`}
    >
      <span className="flex items-baseline justify-between gap-2 text-xs">
        <span className="font-semibold text-soft">
          {PARTS[line.part] ?? line.part}
          {line.clause !== null && <span className="font-mono font-normal"> § {line.clause}</span>}
        </span>
        {line.measured ? (
          <span className="text-action">measured</span>
        ) : (
          line.check && (
            <TextAction disabled={busy} onClick={onCheck}>
              Check it
            </TextAction>
          )
        )}
      </span>
      <button
        type="button"
        disabled={message === null}
        className="line-clamp-3 text-left font-serif text-sm leading-[1.2rem] break-words enabled:hover:underline"
        onClick={() => message !== null && onPlace(message, line.start, line.end)}
      >
        {line.says}
      </button>
      {fare !== undefined && fare.n > 0 && (
        <span className="block text-xs text-soft">
          {count(fare.kept)} of {plural(fare.n, 'stored answer')} keep it
        </span>
      )}
      <span className="flex gap-3 text-xs text-soft">
        {line.source === 'person' && <span>said by a person</span>}
        {line.source === 'model' && <span>read by a model</span>}
        {line.source === 'model' && line.fact && (
          <TextAction light disabled={busy} onClick={onConfirm}>
            So it is
          </TextAction>
        )}
        {correctable && !children && (
          <span className="flex gap-3 opacity-0 group-focus-within:opacity-100 group-hover:opacity-100">
            <TextAction light disabled={busy} onClick={onRight}>
              Put right…
            </TextAction>
            <TextAction light disabled={busy} onClick={onNot}>
              Not so
            </TextAction>
          </span>
        )}
      </span>
      {children}
    </li>
  )
}
