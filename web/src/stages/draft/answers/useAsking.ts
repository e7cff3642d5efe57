import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { markTry, stopTry, triesKey, triesQuery } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { type Answer, type Job, type Keep, type Result, useTries } from '../try/useTries'
import type { DraftMessage } from '../workingCopy'

// How often what goes on without this page is looked at.
const LOOK_MS = 1200

export type Tried = Schemas['KeptTryShape']
export type Judged = Pick<Schemas['TriedAnswer'], 'judgement' | 'best' | 'comment'>

/** An answer as it stands in the region. of: a saved version it is of, null for the text itself. */
export type Shown = {
  key: string
  model: number
  name: string
  simulated: boolean
  settings: Record<string, unknown>
  of: number | null
  row: number | null
  answer: Answer
  /** What was said of it; null while it is on its way. */
  said: Judged | null
}
type Texts = Pick<DraftMessage, 'role' | 'content' | 'step'>[]

/** The tries of a brief: asked, kept on the server with what is said of them, gone back to. */
export function useAsking(brief: number, models: Schemas['ModelShape'][]) {
  const cache = useQueryClient()
  const { answers, run, running, stop } = useTries(brief)
  const [number, setNumber] = useState<number | null>(null)
  const [live, setLive] = useState<{ jobs: Job[]; keep: Keep; number: number | null } | null>(null)
  const found = useQuery({
    ...triesQuery(brief, number),
    placeholderData: (former) => former,
    // A try that was left goes on: its answers come in as they are there.
    refetchInterval: (query) => (query.state.data?.found?.running && !live ? LOOK_MS : false),
  })
  const { write, problem } = useWrite()
  const shownTry = found.data?.found ?? null
  const ask = async (jobs: Job[], keep: Keep, messages: Texts) => {
    setNumber(null)
    setLive({ jobs, keep, number: null })
    await run(jobs, {
      messages,
      keep,
      onKept: (made) => setLive((now) => now && { ...now, number: made }),
    })
    try {
      await cache.invalidateQueries({ queryKey: triesKey(brief) })
    } finally {
      setLive(null)
    }
  }
  const halt = () => {
    const under = live ? live.number : shownTry?.running ? shownTry.number : null
    // Without its number it has not begun: leaving is enough.
    if (under !== null) void write(() => stopTry(brief, under))
    if (live && under === null) stop()
  }
  const say = (key: string, said: Partial<Judged>) =>
    void write(async () => {
      if (!shownTry) return
      const now = await markTry(brief, shownTry.number, { key, ...said })
      cache.setQueryData(triesQuery(brief, number).queryKey, now)
    })
  const named = (id: number) => models.find((m) => m.id === id)
  const shown: Shown[] = live
    ? live.jobs.flatMap((j) => {
        const answer = answers[j.key]
        return answer === undefined
          ? []
          : [
              {
                key: j.key,
                model: j.model,
                name: named(j.model)?.name ?? '',
                simulated: named(j.model)?.simulated ?? false,
                settings: j.settings,
                of: j.of ?? null,
                row: j.row ?? null,
                answer,
                said: null,
              },
            ]
      })
    : shownTry
      ? shownOf(shownTry)
      : []
  return {
    count: found.data?.count ?? 0,
    /** The try whose answers are shown; null while one is asked. */
    tried: live ? null : shownTry,
    /** What is known of the last, or of the one gone back to. */
    known: shownTry,
    /** Its number; null where none was asked yet, or where it has not begun. */
    number: live ? live.number : (shownTry?.number ?? null),
    rows: live ? live.keep.rows : (shownTry?.rows ?? []),
    talk: live ? live.keep.talk : (shownTry?.talk ?? []),
    isRead: found.data !== undefined,
    shown,
    asking: live !== null,
    // Until what came is read back: what is asked next builds on it.
    running: live !== null || running || (shownTry?.running ?? false),
    stop: halt,
    ask,
    say,
    go: setNumber,
    problem,
  }
}

/** The answers of a kept try; what is still on its way has no text yet. */
export function shownOf(tried: Tried): Shown[] {
  return tried.answers.map((a) => {
    const inputs = a.row === null ? tried.inputs : (tried.rows[a.row]?.inputs ?? {})
    const result = a.result as Result | null
    return {
      key: a.key,
      model: a.model,
      name: a.model_name,
      simulated: a.simulated,
      settings: a.settings,
      of: a.of,
      row: a.row,
      answer: {
        key: a.key,
        text: result?.text ?? '',
        result,
        problem: tried.running && !result ? null : a.problem || null,
        inputs,
        model: a.model,
        question: JSON.stringify([tried.messages, inputs, a.of]),
      },
      said: { judgement: a.judgement, best: a.best, comment: a.comment },
    }
  })
}

/** The models of a former try that are still there; null where it had none of them. */
export function modelsOf(tried: Tried | null, models: { id: number }[]): number[] | null {
  const there = new Set(models.map((m) => m.id))
  const found = [...new Set((tried?.answers ?? []).map((a) => a.model))].filter((m) => there.has(m))
  return found.length > 0 ? found : null
}
