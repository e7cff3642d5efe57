import { useCallback, useRef, useState } from 'react'
import { fromRows, toRows, type WorkingCopy } from './workingCopy'

const ONE_GO_MS = 900
const MOST_STATES = 400

export type States = { copy: WorkingCopy; past: WorkingCopy[]; future: WorkingCopy[] }
type Change = (former: WorkingCopy) => WorkingCopy

/** The text with what it said before and after: every change can be undone and done again. */
export function useHistory() {
  const [states, setStates] = useState<States | null>(null)
  const lastGo = useRef({ key: '', at: 0 })
  /** key: changes with the same key in one go are one step of undo. reason: what it is changed for. */
  const change = useCallback((make: Change, key = '', reason = '') => {
    const now = Date.now()
    const same = key !== '' && lastGo.current.key === key && now - lastGo.current.at < ONE_GO_MS
    lastGo.current = { key, at: now }
    setStates((s) => {
      if (!s) return s
      const made = make(s.copy)
      if (made === s.copy) return s
      const next = { ...made, reason }
      const past = same && s.past.length ? s.past : [...s.past, s.copy].slice(-MOST_STATES)
      return { copy: next, past, future: [] }
    })
  }, [])
  const undo = useCallback(() => {
    lastGo.current = { key: '', at: 0 }
    setStates((s) => {
      const before = s?.past.at(-1)
      return s && before
        ? {
            copy: keepIds(before, s.copy),
            past: s.past.slice(0, -1),
            future: [s.copy, ...s.future],
          }
        : s
    })
  }, [])
  const redo = useCallback(() => {
    setStates((s) => {
      const next = s?.future[0]
      return s && next
        ? { copy: keepIds(next, s.copy), past: [...s.past, s.copy], future: s.future.slice(1) }
        : s
    })
  }, [])
  return { states, setStates, change, undo, redo }
}

/** Saved texts keep the ids of the editors that show them, so that undo changes a text and not the whole page. */
export function keepIds(text: WorkingCopy, shown: WorkingCopy): WorkingCopy {
  const known = new Set(text.messages.map((m) => m.id))
  if (shown.messages.some((m) => known.has(m.id))) return text
  return { ...text, messages: fromRows(toRows(text), shown.messages) }
}
