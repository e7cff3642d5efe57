import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { modelReadingQuery, readByModel } from '@/api/wishes'
import { useWrite } from '@/api/useWrite'
import { touchedByReading } from './ByModel'

type Props = {
  brief: number
  messages: { role: string; content: string; step: string | null }[]
}

/** Where a brief has a standing consent, a saved text that was not read yet is read, once. */
export function StandingReading({ brief, messages }: Props) {
  const found = useQuery({
    ...modelReadingQuery(brief, { messages, model: null }),
    enabled: messages.some((m) => m.content.trim() !== ''),
    retry: false,
  })
  const { write } = useWrite(touchedByReading(brief))
  const asked = useRef('')
  const { data } = found
  const model = data && data.passes < data.wanted ? data.standing : null
  const text = JSON.stringify(messages)
  useEffect(() => {
    // A failed call is not repeated by itself: its reason stands where it is read by a press.
    if (model === null || asked.current === text || data?.failure) return
    asked.current = text
    void write(async () => void (await readByModel(brief, { messages, model, ask: true })))
  })
  return null
}
