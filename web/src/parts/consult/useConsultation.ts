import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import type { Schemas } from '@/api/client'
import {
  consult,
  preparedQuery,
  openConsultationQuery,
  settleConsultation,
} from '@/api/consultations'
import { ledgerKey } from '@/api/desk'
import { useWrite } from '@/api/useWrite'
import { useModels } from '@/stages/draft/try/ModelPicks'
import { useTyped } from '@/parts/typed'

export type Consultation = Schemas['ConsultationShape']
export type Reading = Schemas['ReplyReading']
export type Role =
  | 'draft'
  | 'questions'
  | 'cases'
  | 'amendments'
  | 'shorter'
  | 'adapt'
  | 'wishes'
  | 'rubric'
  | 'alike'
  | 'twins'

// While a wording is typed its price need not follow every letter.
const PAUSE_MS = 400
// How often a reply is looked for that was asked for before this page was opened.
const LOOK_MS = 1500

/** One question to a helping model: what it is told, what it costs at most, and the reply that is kept. */
export function useConsultation(
  role: Role,
  about: Record<string, unknown>,
  brief: number | null,
  ready = true,
) {
  const cache = useQueryClient()
  const models = useModels()
  const [model, setModel] = useState<number | null>(null)
  // What a person made of the instruction; null while it is as it came.
  const [instruction, setInstruction] = useTyped<string | null>(
    `instruction ${role} ${brief}`,
    null,
  )
  const [again, setAgain] = useState(true)
  const [asking, setAsking] = useState(false)
  const { write: act, problem } = useWrite()
  const chosen = model ?? models.at(-1)?.id ?? null
  const settled = useSettled(instruction ?? '')
  const body = { role, about, model: chosen, instruction: settled, again }
  const prepared = useQuery({
    ...preparedQuery(body),
    placeholderData: (former) => former,
    enabled: ready,
    retry: false,
    staleTime: 0,
  })
  const open = openConsultationQuery({ role, ...(brief === null ? {} : { brief }) })
  const kept = useQuery({
    ...open,
    refetchInterval: (q) => (q.state.data?.waiting && !asking ? LOOK_MS : false),
  })
  const current = kept.data ?? null
  const put = (found: Consultation | null) => {
    cache.setQueryData(open.queryKey, found?.state === 'open' ? found : null)
    if (brief !== null) void cache.invalidateQueries({ queryKey: ledgerKey })
  }
  const words = instruction ?? prepared.data?.instruction ?? ''
  const ask = async () => {
    if (chosen === null) return
    setAsking(true)
    const came = await act(() =>
      consult({ role, about, model: chosen, instruction: words, again, ask: true }),
    )
    const found = came?.consultation
    setAsking(false)
    if (found) put(found)
    else void kept.refetch()
  }
  const settle = (id: number, body: Schemas['PatchedSettleConsultationRequest']) =>
    act(async () => put(await settleConsultation(id, body)))
  const readAgain = (id: number, text: string) => settle(id, { text })
  const close = (id: number, state: 'taken' | 'dropped', places: number[] | null = null) =>
    settle(id, { state, places })
  return {
    role,
    models,
    chosen,
    setModel,
    again,
    setAgain,
    words,
    setInstruction,
    prepared,
    current,
    asking,
    ask,
    readAgain,
    close,
    problem,
  }
}

export type Consulting = ReturnType<typeof useConsultation>

function useSettled(text: string): string {
  const [settled, setSettled] = useState(text)
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(text), PAUSE_MS)
    return () => window.clearTimeout(timer)
  }, [text])
  return settled
}
