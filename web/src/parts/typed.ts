import { useRef, useState } from 'react'

const MARK = 'nomikon typed '

/** What of a typed value is kept for a reload: nothing where it is what was there to begin with. */
export function keepTyped(place: string, value: unknown, start: unknown): void {
  const text = JSON.stringify(value)
  try {
    if (text === JSON.stringify(start)) window.sessionStorage.removeItem(MARK + place)
    else window.sessionStorage.setItem(MARK + place, text)
  } catch {
    // The browser keeps no more: the form itself still holds it.
  }
}

/** What was typed at a place before the page was loaded anew; undefined where nothing was. */
export function typedAt(place: string): unknown {
  const text = window.sessionStorage.getItem(MARK + place)
  if (text === null) return undefined
  try {
    return JSON.parse(text) as unknown
  } catch {
    return undefined
  }
}

/** Nothing typed at these places is kept any longer: it was saved, or left on purpose. */
export function forgetTyped(place: string): void {
  for (const key of Object.keys(window.sessionStorage))
    if (key === MARK + place || key.startsWith(`${MARK}${place} `))
      window.sessionStorage.removeItem(key)
}

/** What was kept; a field that a newer page has and the kept form has not is as it starts. */
function withStart<T>(kept: unknown, start: T): T {
  if (kept === undefined || kept === null) return start
  if (isRecord(kept) && isRecord(start)) return { ...start, ...kept }
  return kept as T
}

function isRecord(value: unknown): value is Record<string, unknown> {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}

/**
 * A value that is being typed: it outlives a reload of this tab until `forgetTyped(place)`.
 * Places of one form begin with the same word, as in “brief 3 name”.
 */
export function useTyped<T>(place: string, start: T): [T, (value: T | ((before: T) => T)) => void] {
  const [value, setValue] = useState<T>(() => withStart(typedAt(place), start))
  // Kept at once and not with the next rendering: what is forgotten in between stays forgotten.
  const newest = useRef(value)
  const set = (now: T | ((before: T) => T)) => {
    newest.current = typeof now === 'function' ? (now as (before: T) => T)(newest.current) : now
    setValue(newest.current)
    keepTyped(place, newest.current, start)
  }
  return [value, set]
}
