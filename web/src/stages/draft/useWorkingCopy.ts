import { useQuery } from '@tanstack/react-query'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { inWords, Problem, type Schemas } from '@/api/client'
import { keepCopy, workingCopy, workingCopyQuery } from '@/api/drafts'
import { copyOf, fromRows, sameText, toRows, type WorkingCopy } from './workingCopy'

const PAUSE_MS = 600
const RETRY_MS = 4000
const ONE_GO_MS = 900
const MOST_STATES = 400

export type Conflict = { revision: number; theirs: WorkingCopy; at: string | null; by: string }
type States = { copy: WorkingCopy; past: WorkingCopy[]; future: WorkingCopy[] }
type Change = (former: WorkingCopy) => WorkingCopy

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
  const [states, setStates] = useState<States | null>(null)
  const [revision, setRevision] = useState<number | null>(null)
  const [conflict, setConflict] = useState<Conflict | null>(null)
  const [keeping, setKeeping] = useState<'kept' | 'keeping' | 'waiting'>('kept')
  const [trouble, setTrouble] = useState('')
  // What the server holds, as far as this tab knows.
  const held = useRef<WorkingCopy | null>(null)
  const sending = useRef(false)
  const lastGo = useRef({ key: '', at: 0 })

  const found = stored.data
  useEffect(() => {
    if (!found) return
    const theirs: WorkingCopy =
      found.revision === 0
        ? saved
        : {
            messages: fromRows(found.messages.length ? found.messages : toRows(saved)),
            settings: found.messages.length ? found.settings : saved.settings,
            secondParent: found.second_parent,
          }
    // The server's text arrives once; later only when another tab went on with it.
    setStates((now) => {
      if (now === null) {
        const before = found.before
          .filter((s) => s.messages.length)
          .map((s) => ({
            messages: fromRows(s.messages),
            settings: s.settings,
            secondParent: null,
          }))
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
  }, [brief, base])
  /** The text is safe elsewhere (saved as a version): nothing of it needs to be kept. */
  const forget = useCallback(() => {
    held.current = latest.current
  }, [])

  /** key: changes with the same key in one go are one step of undo. */
  const change = useCallback((make: Change, key = '') => {
    const now = Date.now()
    const same = key !== '' && lastGo.current.key === key && now - lastGo.current.at < ONE_GO_MS
    lastGo.current = { key, at: now }
    setStates((s) => {
      if (!s) return s
      const next = make(s.copy)
      if (next === s.copy) return s
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
    [conflict],
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
    canUndo: (states?.past.length ?? 0) > 0,
    canRedo: (states?.future.length ?? 0) > 0,
    error: stored.error,
  }
}

/** Saved texts keep the ids of the editors that show them, so that undo changes a text and not the whole page. */
function keepIds(text: WorkingCopy, shown: WorkingCopy): WorkingCopy {
  const known = new Set(text.messages.map((m) => m.id))
  if (shown.messages.some((m) => known.has(m.id))) return text
  return { ...text, messages: fromRows(toRows(text), shown.messages) }
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

const rescueName = (brief: number, base: number | null) =>
  `nomikon-rescued-${brief}-${base ?? 'new'}`

function leaveRescued(brief: number, base: number | null, copy: WorkingCopy): void {
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

function takeRescued(brief: number, base: number | null): WorkingCopy | null {
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
