import { useEffect, useRef, useState } from 'react'
import { useSearchParams } from 'react-router'
import { inWords } from '@/api/client'
import { output } from '@/api/trials'
import { questionFor, withExample } from './example'
import type { WorkingCopy } from './workingCopy'

/** A better answer brought from review (`?example=` names the answer) as a worked example, once. */
export function useBroughtExample(
  copy: WorkingCopy,
  change: (make: (c: WorkingCopy) => WorkingCopy) => void,
): string {
  const [search, setSearch] = useSearchParams()
  const [said, setSaid] = useState('')
  const wanted = Number(search.get('example')) || null
  const taken = useRef<number | null>(null)
  const latest = useRef({ copy, change })
  useEffect(() => {
    latest.current = { copy, change }
  })
  useEffect(() => {
    if (wanted === null || taken.current === wanted) return
    taken.current = wanted
    const bring = async () => {
      try {
        const found = await output(wanted)
        const answer = found.mark?.better ?? found.case.reference
        if (!answer) throw new Error(`Case ${found.case.number} has no better answer to show.`)
        const question = await questionFor(latest.current.copy, found.case.inputs)
        latest.current.change((c) => withExample(c, question, answer))
        setSaid(
          `Case ${found.case.number} is a worked example now. Leave it out of what you compare by: it gives its own answer away.`,
        )
      } catch (error) {
        setSaid(inWords(error))
      }
      setSearch(
        (now) => {
          now.delete('example')
          return now
        },
        { replace: true },
      )
    }
    void bring()
  }, [wanted, setSearch])
  return said
}
