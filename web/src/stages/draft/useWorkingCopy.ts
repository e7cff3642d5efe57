import { useQuery } from '@tanstack/react-query'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { inWords, Problem, type Schemas } from '@/api/client'
import { keepCopy, workingCopy, workingCopyQuery } from '@/api/drafts'
import { useRescue } from './useRescue'
import { takeRescued } from './rescue'
import { keepIds, useHistory } from './useHistory'
import { copyOf, fromRows, sameText, toRows, type WorkingCopy } from './workingCopy'

const PAUSE_MS = 600
const RETRY_MS = 4000

export type Conflict = { revision: number; theirs: WorkingCopy; at: string | null; by: string }

/** The unsaved text on a version: kept on the server at every pause, undone and redone, never overwritten unseen. */
export function useWorkingCopy(brief: number, version: Schemas['VersionDetail'] | undefined) {
  const base = version?.number ?? null
  const saved = useMemo(() => copyOf(version), [version])
  const stored = useQuery({
    ...workingCopyQuery(brief, base ?? 0),
    refetchOnWindowFocus: 'always',
    staleTime: 0,
    gcTime: 0,
  })
  const { states, setStates, change, undo, redo } = useHistory()
  const [revision, setRevision] = useState<number | null>(null)
  const [conflict, setConflict] = useState<Conflict | null>(null)
  const [keeping, setKeeping] = useState<'kept' | 'keeping' | 'waiting'>('kept')
  const [trouble, setTrouble] = useState('')
  // What the server holds, as far as this tab knows.
  const held = useRef<WorkingCopy | null>(null)
  const sending = useRef(false)

  const found = stored.data
  useEffect(() => {
    if (!found) return
    const theirs = theirsOf(found, saved)
    // The server's text arrives once; later only when another tab went on with it.
    setStates((now) => {
      if (now === null) {
        const before = beforeOf(found)
        const rescued = takeRescued(brief, base)
        const past = [...(before.length ? before : found.revision ? [saved] : [])]
        held.current = theirs
        setRevision(found.revision)
        if (rescued && !sameText(rescued, theirs))
          return { copy: rescued, past: [...past, theirs], future: [] }
        return { copy: theirs, past, future: [] }
      }
      if (
        held.current &&
        found.revision > (revision ?? 0) &&
        sameText(now.copy, held.current) &&
        !sending.current
      ) {
        held.current = theirs
        setRevision(found.revision)
        return { copy: keepIds(theirs, now.copy), past: [...now.past, now.copy], future: [] }
      }
      return now
    })
    // Only what arrives from the server matters here.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [found])

  const copy = states?.copy ?? null
  const keep = useCallback(
    async (text: WorkingCopy, known: number) => {
      sending.current = true
      setKeeping('keeping')
      try {
        const kept = await keepCopy(brief, {
          base,
          second_parent: text.secondParent,
          revision: known,
          messages: toRows(text),
          settings: text.settings,
          reason: text.reason ?? '',
        })
        held.current = text
        setRevision(kept.revision)
        setKeeping('kept')
        setTrouble('')
      } catch (error) {
        if (error instanceof Problem && error.title === 'copy_changed') {
          const theirs = await theirCopy(brief, base, saved)
          // The very same text, kept by a request whose answer was lost or by the other tab: no clash.
          if (sameText(theirs.theirs, text)) {
            held.current = text
            setRevision(theirs.revision)
            setKeeping('kept')
          } else {
            setConflict(theirs)
            setKeeping('waiting')
          }
        } else {
          setKeeping('waiting')
          setTrouble(inWords(error))
        }
      } finally {
        sending.current = false
      }
    },
    [brief, base, saved],
  )

  useEffect(() => {
    if (!copy || revision === null || conflict || sending.current) return
    if (held.current && sameText(copy, held.current)) return
    const timer = window.setTimeout(
      () => void keep(copy, revision),
      keeping === 'waiting' ? RETRY_MS : PAUSE_MS,
    )
    return () => window.clearTimeout(timer)
  }, [copy, revision, conflict, keep, keeping])

  const latest = useRescue(brief, base, copy, held)
  /** The text is safe elsewhere (saved as a version): nothing of it needs to be kept. */
  const forget = useCallback(() => {
    held.current = latest.current
  }, [latest])

  const settle = useCallback(
    (mine: boolean) => {
      if (!conflict) return
      held.current = conflict.theirs
      setRevision(conflict.revision)
      // Whatever is not chosen is one undo away.
      setStates(
        (s) =>
          s &&
          (mine
            ? { ...s, past: [...s.past, keepIds(conflict.theirs, s.copy)] }
            : { copy: keepIds(conflict.theirs, s.copy), past: [...s.past, s.copy], future: [] }),
      )
      setConflict(null)
    },
    [conflict, setStates],
  )

  return {
    copy,
    saved,
    change,
    undo,
    redo,
    forget,
    conflict,
    settle,
    keeping,
    trouble,
    /** What it said before, the oldest first, and what it says now. */
    course: states ? [...states.past, states.copy] : [],
    canUndo: (states?.past.length ?? 0) > 0,
    canRedo: (states?.future.length ?? 0) > 0,
    error: stored.error,
  }
}

async function theirCopy(
  brief: number,
  base: number | null,
  saved: WorkingCopy,
): Promise<Conflict> {
  const now = await workingCopy(brief, base ?? 0)
  const theirs = now.messages.length
    ? { messages: fromRows(now.messages), settings: now.settings, secondParent: now.second_parent }
    : saved
  return { revision: now.revision, theirs, at: now.changed_at, by: now.changed_by }
}

type Stored = Schemas['CopyShape']

/** The text as the server holds it; the saved version's where nobody has typed yet. */
function theirsOf(found: Stored, saved: WorkingCopy): WorkingCopy {
  if (found.revision === 0) return saved
  return {
    messages: fromRows(found.messages.length ? found.messages : toRows(saved)),
    settings: found.messages.length ? found.settings : saved.settings,
    secondParent: found.second_parent,
    reason: found.reason ?? '',
  }
}

/** What it said before, for undo after a reload. */
function beforeOf(found: Stored): WorkingCopy[] {
  return found.before
    .filter((s) => s.messages.length)
    .map((s) => ({
      messages: fromRows(s.messages),
      settings: s.settings,
      secondParent: null,
      reason: s.reason ?? '',
    }))
}
