import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { markTry, triesKey, triesQuery } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { type Answer, type Job, type Keep, type Result, useTries } from '../try/useTries'

export type Tried = Schemas['KeptTryShape']
export type Said = Pick<Schemas['TriedAnswer'], 'judgement' | 'best' | 'comment'>

/** An answer as it stands in the region. of: a saved version it is of, null for the text itself. */
export type Shown = {
  key: string
  model: number
  name: string
  simulated: boolean
  settings: Record<string, unknown>
  of: number | null
  answer: Answer
  /** What was said of it; null while it is on its way. */
  said: Said | null
}

/** The tries of a brief: asked, kept on the server with what is said of them, gone back to. */
export function useAsking(brief: number, models: Schemas['ModelShape'][]) {
  const cache = useQueryClient()
  const { answers, run, running, stop } = useTries(brief)
  const [number, setNumber] = useState<number | null>(null)
  const [live, setLive] = useState<Job[] | null>(null)
  const found = useQuery({ ...triesQuery(brief, number), placeholderData: (former) => former })
  const { write, problem } = useWrite()
  const tried = found.data?.found ?? null
  const ask = async (jobs: Job[], keep: Keep) => {
    setNumber(null)
    setLive(jobs)
    await run(jobs, { keep })
    await cache.invalidateQueries({ queryKey: triesKey(brief) })
    setLive(null)
  }
  const say = (key: string, said: Partial<Said>) =>
    void write(async () => {
      if (!tried) return
      const now = await markTry(brief, tried.number, { key, ...said })
      cache.setQueryData(triesQuery(brief, number).queryKey, now)
    })
  const name = (id: number) => models.find((m) => m.id === id)
  const shown: Shown[] = live
    ? live.flatMap((j) => {
        const answer = answers[j.key]
        return answer === undefined
          ? []
          : [
              {
                key: j.key,
                model: j.model,
                name: name(j.model)?.name ?? '',
                simulated: name(j.model)?.simulated ?? false,
                settings: j.settings,
                of: j.of ?? null,
                answer,
                said: null,
              },
            ]
      })
    : tried
      ? shownOf(tried)
      : []
  return {
    count: found.data?.count ?? 0,
    tried: live ? null : tried,
    last: found.data?.found ?? null,
    isRead: found.data !== undefined,
    shown,
    asking: live !== null,
    running,
    stop,
    ask,
    say,
    go: setNumber,
    problem,
  }
}

/** The answers of a kept try. */
export function shownOf(tried: Tried): Shown[] {
  return tried.answers.map((a) => ({
    key: a.key,
    model: a.model,
    name: a.model_name,
    simulated: a.simulated,
    settings: a.settings,
    of: a.of,
    answer: {
      key: a.key,
      text: (a.result as Result | null)?.text ?? '',
      result: a.result as Result | null,
      problem: a.problem || null,
      inputs: tried.inputs,
      model: a.model,
      question: JSON.stringify([tried.messages, tried.inputs, a.of]),
    },
    said: { judgement: a.judgement, best: a.best, comment: a.comment },
  }))
}
