import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { inWords } from '@/api/client'
import { renderDraftQuery } from '@/api/drafts'
import type { useCaseAt } from './useCaseAt'
import { toRows, type WorkingCopy } from './workingCopy'

/** The text as sent on the clipboard, from any view by one key. */
export function useCopyAsSent(copy: WorkingCopy, cases: ReturnType<typeof useCaseAt>) {
  const [words, setWords] = useState('')
  const cache = useQueryClient()
  useEffect(() => {
    if (!words) return
    const timer = window.setTimeout(() => setWords(''), 4000)
    return () => window.clearTimeout(timer)
  }, [words])
  const copyAsSent = async () => {
    const body = { messages: toRows(copy), inputs: cases.chosen?.inputs ?? {} }
    try {
      const done = await cache.fetchQuery(renderDraftQuery(body))
      await navigator.clipboard.writeText(
        done.messages.map((m) => `[${m.role}]\n${m.content}`).join('\n\n'),
      )
      setWords(`Copied as sent${cases.chosen ? `, case ${cases.chosen.number}` : ''}`)
    } catch (error) {
      setWords(inWords(error))
    }
  }
  return { words, copyAsSent }
}
