import { useEffect, useRef, type RefObject } from 'react'
import { leaveRescued } from './rescue'
import { sameText, type WorkingCopy } from './workingCopy'

/** What is typed and not yet held by the server is left in the browser when the tab closes; the newest text is given back. */
export function useRescue(
  brief: number,
  base: number | null,
  copy: WorkingCopy | null,
  held: RefObject<WorkingCopy | null>,
) {
  const latest = useRef(copy)
  useEffect(() => {
    latest.current = copy
  }, [copy])
  useEffect(() => {
    // A tab that closes within the pause leaves its text in the browser; the next one takes it up.
    const rescue = () => {
      const text = latest.current
      if (text && held.current && !sameText(text, held.current)) leaveRescued(brief, base, text)
    }
    window.addEventListener('pagehide', rescue)
    return () => {
      window.removeEventListener('pagehide', rescue)
      rescue()
    }
  }, [brief, base, held])
  return latest
}
