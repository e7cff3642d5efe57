import { useEffect, useRef, useState } from 'react'
import { lines, Problem } from '@/api/client'

type Line<Done> = {
  read?: number
  n_refused?: number
  done?: Done
  refused?: { title?: string; detail: string; field?: string | null }
}

const STOPPED = new Problem(0, 'stopped', 'stopped', null)
const BROKEN_OFF = new Problem(
  0,
  'broken_off',
  'the connection broke off before the end: look at the cases, then try again',
  null,
)
const refused = (told: NonNullable<Line<unknown>['refused']>) =>
  new Problem(422, told.title ?? 'error', told.detail, told.field ?? null)

/** A file on its way: how far it is read, what is amiss, stopped by a press or by leaving. */
export function useUpload() {
  const [problem, setProblem] = useState<unknown>(null)
  // Rows read so far while a file is read, null otherwise.
  const [read, setRead] = useState<number | null>(null)
  const aborting = useRef<AbortController | null>(null)
  useEffect(() => () => aborting.current?.abort(), [])
  /** A file sent and what is made of it line by line; null where it was stopped or refused. */
  const send = async <Done>(path: string, data: FormData): Promise<Done | null> => {
    aborting.current?.abort()
    const own = new AbortController()
    aborting.current = own
    setProblem(null)
    setRead(0)
    let found: Done | null = null
    try {
      await lines<Line<Done>>(
        path,
        data,
        (line) => {
          if (line.read !== undefined) setRead(line.read)
          if (line.refused) throw refused(line.refused)
          if (line.done) found = line.done
        },
        own.signal,
      )
      if (!found) throw BROKEN_OFF
    } catch (error) {
      // Another choice took its place: what that one finds counts.
      if (aborting.current !== own) return null
      setProblem(own.signal.aborted ? STOPPED : error)
    }
    if (aborting.current === own) setRead(null)
    return found
  }
  const stop = () => aborting.current?.abort()
  return { send, read, problem, setProblem, stop }
}

/** A file that was chosen, or one of the machine that the program runs on, by its path. */
export type Chosen = File | { path: string; name: string }

/** A file and how it is to be read, where that is not found out rightly. */
export function formOf(file: Chosen, encoding: string, delimiter: string): FormData {
  const data = new FormData()
  if (file instanceof File) data.set('file', file)
  else data.set('path', file.path)
  if (encoding) data.set('encoding', encoding)
  if (delimiter) data.set('delimiter', delimiter)
  return data
}
