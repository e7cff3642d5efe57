/** A text that could not be kept on the server before its tab closed, left in the browser for the next one. */
import type { Schemas } from '@/api/client'
import { fromRows, toRows, type WorkingCopy } from './workingCopy'

const rescueName = (brief: number, base: number | null) =>
  `nomikon-rescued-${brief}-${base ?? 'new'}`

export function leaveRescued(brief: number, base: number | null, copy: WorkingCopy): void {
  try {
    window.localStorage.setItem(
      rescueName(brief, base),
      JSON.stringify({
        messages: toRows(copy),
        settings: copy.settings,
        secondParent: copy.secondParent,
      }),
    )
  } catch {
    // A text larger than the browser keeps: the last state on the server stands.
    window.localStorage.removeItem(rescueName(brief, base))
  }
}

export function takeRescued(brief: number, base: number | null): WorkingCopy | null {
  const text = window.localStorage.getItem(rescueName(brief, base))
  if (text === null) return null
  window.localStorage.removeItem(rescueName(brief, base))
  try {
    const kept = JSON.parse(text) as {
      messages: Schemas['BareMessage'][]
      settings: Record<string, unknown>
      secondParent: number | null
    }
    return {
      messages: fromRows(kept.messages),
      settings: kept.settings,
      secondParent: kept.secondParent,
    }
  } catch {
    // What cannot be read is of no use to anyone; the server's copy stands.
    return null
  }
}
