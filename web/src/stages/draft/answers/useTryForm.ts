import { useQuery } from '@tanstack/react-query'
import { useCallback, useEffect, useRef, useState } from 'react'
import { Problem } from '@/api/client'
import { keepTryForm, tryFormQuery } from '@/api/drafts'
import { forgetTyped, keepTyped, typedAt } from '@/parts/typed'
import type { Variant } from '../try/SettingsVariants'
import type { To } from './to'

const PAUSE_MS = 500
const RETRY_MS = 4000

/** What is set for the next try; what is left out is as it starts. */
export type TryFormContent = {
  to?: To
  models?: number[]
  variants?: Variant[]
  many?: number
  /** Beside a saved version. */
  besides?: boolean
  typed?: Record<string, string>
  /** Values of placeholders, one a line, and whether each is combined with each or they go row by row. */
  lists?: Record<string, string>
  rowByRow?: boolean
  /** The next turn of a talk, how many turns of it go along, and who plays its user. */
  turn?: string
  upto?: number | null
  person?: string
  most?: number
  player?: number
  /** The one step that is asked, and what the steps before it answered. */
  step?: string
  stepInputs?: Record<string, string>
}
type Held = { revision: number; content: TryFormContent }

/**
 * What is set for the next try: on the server at every pause, back on any machine; where another tab has
 * set something else it is not overwritten unseen.
 */
export function useTryForm(brief: number) {
  const place = `try form ${brief}`
  const found = useQuery({ ...tryFormQuery(brief), staleTime: 0, gcTime: 0 })
  const [held, setHeld] = useState<Held | null>(null)
  const [content, setContent] = useState<TryFormContent | null>(null)
  const [theirs, setTheirs] = useState<Held | null>(null)
  const [failed, setFailed] = useState(0)
  const sending = useRef(false)
  // What was typed a moment before the page was left has not reached the server.
  if (found.data && held === null) {
    const rescued = typedAt(place) as Held | undefined
    const there = { revision: found.data.revision, content: found.data.content as TryFormContent }
    setHeld(there)
    setContent(rescued?.content ?? there.content)
    const same = JSON.stringify(rescued?.content) === JSON.stringify(there.content)
    if (rescued && rescued.revision !== there.revision && !same) setTheirs(there)
  }
  const set = useCallback((part: Partial<TryFormContent>) => {
    setContent((now) => ({ ...now, ...part }))
  }, [])
  useEffect(() => {
    if (!held || !content || theirs || sending.current) return
    if (JSON.stringify(content) === JSON.stringify(held.content)) {
      forgetTyped(place)
      return
    }
    keepTyped(place, { revision: held.revision, content }, null)
    const send = async () => {
      sending.current = true
      try {
        const kept = await keepTryForm(brief, { revision: held.revision, content })
        setHeld({ revision: kept.revision, content })
      } catch (error) {
        if (error instanceof Problem && error.title === 'form_changed') {
          const there = error.facts as Held
          // The very same, set by a request whose answer was lost or by the other tab: no clash.
          if (JSON.stringify(there.content) === JSON.stringify(content)) setHeld(there)
          else setTheirs(there)
        } else setFailed((n) => n + 1)
      } finally {
        sending.current = false
      }
    }
    const timer = window.setTimeout(() => void send(), failed ? RETRY_MS : PAUSE_MS)
    return () => window.clearTimeout(timer)
  }, [brief, content, failed, held, place, theirs])
  const settle = (mine: boolean) => {
    if (!theirs) return
    setHeld(theirs)
    if (!mine) setContent(theirs.content)
    setTheirs(null)
  }
  return { form: content ?? {}, isRead: content !== null, set, clash: theirs !== null, settle }
}
