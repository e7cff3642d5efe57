import type { ReactNode } from 'react'
import { Link } from 'react-router'
import type { WorkingCopy } from '../workingCopy'

/** Why nothing can be asked yet, each with the way out; empty where all is there. */
export function missingToAsk(
  copy: WorkingCopy,
  models: unknown[],
  chosen: unknown[],
  more: (string | false)[] = [],
): ReactNode[] {
  return [
    models.length === 0 && (
      <span key="models">
        no model is there to answer:{' '}
        <Link className="underline" to="/models">
          add one
        </Link>
      </span>
    ),
    models.length > 0 && chosen.length === 0 && <span key="chosen">no model is chosen</span>,
    copy.messages.every((m) => !m.content.trim()) && <span key="text">the text is empty</span>,
    ...more.map((words) => words && <span key={words}>{words}</span>),
  ].filter(Boolean)
}

/** All that lacks, at once. */
export function Missing({ missing }: { missing: ReactNode[] }) {
  if (missing.length === 0) return null
  return (
    <p className="text-sm text-attention-text">
      Nothing can be asked yet:{' '}
      {missing.map((m, i) => (
        <span key={i}>
          {i > 0 && '; '}
          {m}
        </span>
      ))}
      .
    </p>
  )
}
