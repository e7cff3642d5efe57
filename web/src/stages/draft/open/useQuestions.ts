import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import type { Schemas } from '@/api/client'
import { questionsQuery, settleQuestion } from '@/api/drafts'
import { toRows, type WorkingCopy } from '../workingCopy'

export type Question = Schemas['QuestionShape']
export type Proposed = Schemas['QuestionAmendment']

// Questions change less often than findings: asked for when typing rests.
const PAUSE_MS = 900

/** What brief and text leave open, and how each question is settled. */
export function useQuestions(brief: number, copy: WorkingCopy) {
  const cache = useQueryClient()
  const rows = toRows(copy)
  const text = JSON.stringify(rows)
  const [settled, setSettled] = useState(text)
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(text), PAUSE_MS)
    return () => window.clearTimeout(timer)
  }, [text])
  const asked = questionsQuery(brief, { messages: JSON.parse(settled) as typeof rows })
  const found = useQuery({
    ...asked,
    placeholderData: (former) => former,
    gcTime: 60_000,
  })
  const told = (questions: Question[]) => {
    cache.setQueryData(asked.queryKey, { questions })
    // A list that was asked for meanwhile, for another state of the text, may be older than this.
    void cache.invalidateQueries({ queryKey: ['questions', brief] })
  }
  const settle = async (
    question: Question,
    state: Question['state'],
    answer = '',
  ): Promise<Proposed | null> => {
    const made = await settleQuestion(brief, { key: question.key, state, answer, messages: rows })
    told(made.questions)
    return made.proposed
  }
  const refresh = () => void cache.invalidateQueries({ queryKey: ['questions', brief] })
  return { questions: found.data?.questions ?? [], settle, refresh, rows }
}

export type Questions = ReturnType<typeof useQuestions>
