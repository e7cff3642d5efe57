import { useQueryClient, type QueryKey } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, Problem } from './client'

/**
 * The one way in which a page writes: pending while it is under way, what went wrong at its field
 * or beside the form, and what it touches is read again once it has ended.
 */
export function useWrite(touches: QueryKey[] = []) {
  const cache = useQueryClient()
  const [pending, setPending] = useState(false)
  const [problem, setProblem] = useState<unknown>(null)
  /** back: puts what was shown before it was sure back where it was, when it fails. */
  const write = async <T>(work: () => Promise<T>, back?: () => void): Promise<T | undefined> => {
    setPending(true)
    setProblem(null)
    try {
      return await work()
    } catch (error) {
      back?.()
      setProblem(error)
      return undefined
    } finally {
      setPending(false)
      // After a refusal too: what is there may not be what the page took it for.
      touches.forEach((queryKey) => void cache.invalidateQueries({ queryKey }))
    }
  }
  const field = problem instanceof Problem ? problem.field : null
  return {
    write,
    pending,
    problem,
    /** What is wrong with this field, if it was this one. */
    at: (name: string) => (field === name ? inWords(problem) : null),
    clear: () => setProblem(null),
    /** For what is found to be wrong before anything is sent. */
    setProblem,
  }
}
