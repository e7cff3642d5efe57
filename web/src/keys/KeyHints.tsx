import { KeyCaps } from './KeyCaps'
import type { KeyName } from './registry'

/** Keys that work here, in few words. */
export function KeyHints({ rows }: { rows: [KeyName[], string][] }) {
  return (
    <p className="flex flex-wrap gap-x-3 gap-y-1 text-xs text-soft">
      {rows.map(([names, words]) => (
        <span key={words} className="flex gap-1">
          {names.map((name) => (
            <KeyCaps key={name} of={name} />
          ))}
          {words}
        </span>
      ))}
    </p>
  )
}
