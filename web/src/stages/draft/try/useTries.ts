import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { useRefreshBrief } from '@/api/briefs'
import { inWords, lines, type Schemas } from '@/api/client'
import type { DraftMessage, Settings } from '../workingCopy'

export type Result = {
  text: string
  outcome: string
  why: string
  suspected: string
  reasoning: string
  finish_reason: string | null
  tokens_in: number
  tokens_out: number
  cost: number | null
  latency_ms: number
  first_ms: number | null
  attempts: number
  scores: { measure: string; score: number | null; why: string }[]
  total: number | null
  /** What the prompt's own words ask of the form, and whether the answer has it. */
  form: { what: string; ok: boolean; why: string }[]
  /** What each step answered; empty for a prompt of one call. */
  steps?: { step: string; text: string; cost: number | null }[]
  /** The talk that it is the last answer of, without what the prompt itself opens with. */
  turns?: Said[]
  /** What the prompt itself opens the talk with. */
  opening?: string
}
export type Said = Schemas['SaidTurn']
type Line = { key?: string; text?: string; result?: Result; refused?: string; try?: number }
/** What a try that stays with the brief is of. */
export type Keep = Schemas['KeptTry']
type Message = Pick<DraftMessage, 'role' | 'content'> & { step?: string | null | undefined }

/** What is asked once: a text, filled from inputs, of a model. */
export type Job = {
  key: string
  model: number
  /** Left out where all jobs share one text. */
  messages?: Message[]
  settings: Settings
  inputs: Record<string, unknown>
  reference: string | null
  repeat: number
  /** A saved version that is set beside. */
  of?: number | null
  row?: number | null
  talk?: Schemas['TalkOn'] | null
  /** An answer that was cut: only its rest is asked for. */
  begun?: string
}
/** inputs: what it answered to, for keeping it as a case or an example. question: text and inputs as one. */
export type Answer = {
  key: string
  text: string
  result: Result | null
  problem: string | null
  inputs: Record<string, unknown>
  model: number
  question: string
}

/** of: a brief whose scorecard scores them, where it is another. keep: the try stays, and its number is told. */
type Where = {
  of?: number
  messages?: Message[]
  keep?: Keep
  onKept?: (number: number) => void
}

/** Real calls of many jobs on one stream; answers by the keys of their jobs. */
export function useTries(brief: number) {
  const [answers, setAnswers] = useState<Record<string, Answer>>({})
  const [running, setRunning] = useState(0)
  const aborting = useRef(new AbortController())
  const refresh = useRefreshBrief(brief)
  const cache = useQueryClient()
  useEffect(() => () => aborting.current.abort(), [])

  /** Resolves with the answers of these jobs once all have come or were stopped. */
  const run = async (
    jobs: Job[],
    { of = brief, messages, keep, onKept }: Where = {},
  ): Promise<Record<string, Answer>> => {
    const mine: Record<string, Answer> = Object.fromEntries(
      jobs.map((j) => [
        j.key,
        {
          key: j.key,
          text: j.begun ?? '',
          result: null,
          problem: null,
          inputs: j.inputs,
          model: j.model,
          question: JSON.stringify([j.messages ?? messages, j.inputs]),
        },
      ]),
    )
    let drawn = false
    const put = (key: string, part: (a: Answer) => Partial<Answer>) => {
      const former = mine[key]
      if (!former) return
      mine[key] = { ...former, ...part(former) }
      // Pieces come faster than a screen shows them: once a frame is enough, and the first at once.
      if (drawn) return
      drawn = true
      requestAnimationFrame(() => {
        drawn = false
        setAnswers((all) => ({ ...all, ...mine }))
      })
    }
    setAnswers((all) => ({ ...all, ...mine }))
    setRunning((n) => n + 1)
    const { signal } = aborting.current
    const leftOver = (why: string) => {
      for (const a of Object.values(mine))
        if (!a.result && !a.problem) mine[a.key] = { ...a, problem: why }
    }
    try {
      await lines<Line>(
        `/api/briefs/${of}/try/`,
        { jobs, ...(messages ? { messages } : {}), ...(keep ? { keep } : {}) },
        (line) => {
          if (line.try !== undefined) {
            onKept?.(line.try)
            return
          }
          const keys =
            line.key === undefined ? Object.keys(mine).filter((k) => !mine[k]?.result) : [line.key]
          for (const key of keys) {
            if (line.text !== undefined) put(key, (a) => ({ text: a.text + line.text }))
            // The whole answer at the end: an attempt that broke off has left its pieces before it.
            if (line.result)
              put(key, () => ({ result: line.result ?? null, text: line.result?.text ?? '' }))
            if (line.refused !== undefined) put(key, () => ({ problem: line.refused ?? null }))
          }
        },
        signal,
      )
      leftOver('The worker ended without an answer.')
    } catch (error) {
      leftOver(signal.aborted ? 'Stopped.' : inWords(error))
    } finally {
      setAnswers((all) => ({ ...all, ...mine }))
      setRunning((n) => n - 1)
      refresh()
      void cache.invalidateQueries({ queryKey: ['session'] })
    }
    return mine
  }
  const stop = () => {
    aborting.current.abort()
    aborting.current = new AbortController()
  }
  return { answers, run, running: running > 0, stop }
}
