import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { useRefreshBrief } from '@/api/briefs'
import { lines, Problem, upload, type Schemas } from '@/api/client'
import { casesOf } from '@/api/datasets'
import { useWrite } from '@/api/useWrite'
import { useFrame } from '../BriefFrame'
import type { Mapping, Preview } from './ImportParts'

type Imported = {
  dataset_version: number
  added: number
  n_refused: number
  refused: Schemas['RefusedShape'][]
}
type Line = {
  read?: number
  n_refused?: number
  done?: Imported
  refused?: { title?: string; detail: string; field?: string | null }
}

/** A file on its way in: looked at, told what its columns are, taken in with its progress, stopped. */
export function useImport(dataset: number, split: string) {
  const { brief } = useFrame()
  const refresh = useRefreshBrief(brief.id)
  const cache = useQueryClient()
  const [file, setFile] = useState<File | null>(null)
  const [encoding, setEncoding] = useState('')
  const [delimiter, setDelimiter] = useState('')
  const [preview, setPreview] = useState<Preview | null>(null)
  const [mapping, setMapping] = useState<Mapping>({})
  const [done, setDone] = useState<Imported | null>(null)
  const { write, problem, setProblem } = useWrite()
  // Rows read so far while an import runs, null otherwise.
  const [read, setRead] = useState<number | null>(null)
  const aborting = useRef<AbortController | null>(null)
  useEffect(() => () => aborting.current?.abort(), [])

  const form = (chosen: File, enc: string, del: string) => {
    const data = new FormData()
    data.set('file', chosen)
    if (enc) data.set('encoding', enc)
    if (del) data.set('delimiter', del)
    return data
  }
  const look = async (chosen: File | null, enc: string, del: string) => {
    setPreview(null)
    setDone(null)
    setProblem(null)
    if (!chosen) return
    await write(async () => {
      const found = await upload<Preview>(
        `/api/datasets/${dataset}/preview/`,
        form(chosen, enc, del),
      )
      setPreview(found)
      setMapping(
        Object.fromEntries(
          found.columns.map((c) => [c.name, { as: c.use, name: c.name, kind: c.kind }]),
        ),
      )
    })
  }
  const take = async () => {
    if (!file) return
    setRead(0)
    setProblem(null)
    const own = new AbortController()
    aborting.current = own
    try {
      const data = form(file, encoding, delimiter)
      data.set('mapping', JSON.stringify(mapping))
      data.set('split', split)
      let ended = false
      await lines<Line>(
        `/api/datasets/${dataset}/import/`,
        data,
        (line) => {
          if (line.read !== undefined) setRead(line.read)
          if (line.refused)
            throw new Problem(
              422,
              line.refused.title ?? 'error',
              line.refused.detail,
              line.refused.field ?? null,
            )
          if (line.done) {
            ended = true
            setDone(line.done)
          }
        },
        own.signal,
      )
      if (!ended)
        throw new Problem(
          0,
          'broken_off',
          'the connection broke off before the import ended: look at the cases, then import again',
          null,
        )
      refresh()
      void cache.invalidateQueries({ queryKey: casesOf(dataset) })
    } catch (error) {
      setProblem(own.signal.aborted ? new Problem(0, 'stopped', 'stopped', null) : error)
    } finally {
      setRead(null)
    }
  }
  const stop = () => aborting.current?.abort()
  return {
    file,
    setFile,
    encoding,
    setEncoding,
    delimiter,
    setDelimiter,
    preview,
    mapping,
    setMapping,
    done,
    read,
    problem,
    look,
    take,
    stop,
  }
}
