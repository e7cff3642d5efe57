import { useState } from 'react'
import type { Take } from '../useDraft'
import type { Proposed, Questions } from './useQuestions'

/** What the last answer put into the text: it stands there at once, and one press takes it out again. */
export function usePutIn(asking: Questions, take: Take) {
  const [put, setPut] = useState<{ made: Proposed; before: Proposed['messages'] } | null>(null)
  const plain = (rows: { role: string; content: string }[]) =>
    JSON.stringify(rows.map((m) => [m.role, m.content]))
  return {
    put: put?.made ?? null,
    isLast: put !== null && plain(asking.rows) === plain(put.made.messages),
    onProposed: (made: Proposed, reason: string) => {
      setPut({ made, before: asking.rows })
      take(made.messages, reason)
    },
    onUndo: () => {
      if (put) take(put.before)
      setPut(null)
    },
  }
}
