import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useRefreshBrief } from '@/api/briefs'
import type { Schemas } from '@/api/client'
import { casesOf, tieDataset } from '@/api/datasets'
import { useFrame } from '../frame'
import type { Mapping, Preview } from './ImportParts'
import type { Mended } from './MendRows'
import { formOf, useUpload, type Chosen } from './useUpload'

export type Tie = Schemas['TieShape']
export type UpdatePreview = Schemas['UpdatePreview']
type Imported = {
  dataset_version: number
  added: number
  changed: number
  equal: number
  removed: number
  n_refused: number
  refused: Schemas['RefusedShape'][]
}
/** Columns as they were taken in before; further ones as they look. */
function againMapped(found: Preview, before: Tie['mapping']): Mapping {
  return Object.fromEntries(
    found.columns.map((c) => [
      c.name,
      { as: c.use, name: c.name, kind: c.kind, ...before[c.name] },
    ]),
  )
}

/** By what rows find their cases where the first time there were none: never are all added again. */
function againBy(mapping: Mapping): string[] {
  const uses = Object.values(mapping)
  if (uses.some((u) => u.as === 'id')) return ['#id']
  const inputs = uses.flatMap((u) => (u.as === 'input' && u.name ? [u.name] : []))
  const key = inputs.find((n) => /^(path|id|key|code|nr|no|number|ref)$/i.test(n))
  return key ? [key] : inputs
}

/** A file on its way in: looked at, told what its columns are, taken in with its progress, stopped. */
export function useImport(of: Schemas['DatasetShape'], split: Tie['split']) {
  const dataset = of.id
  const { brief } = useFrame()
  const refresh = useRefreshBrief(brief.id)
  const cache = useQueryClient()
  const [file, setFile] = useState<Chosen | null>(null)
  // A file of this machine is read again by one press, unless that is not wanted.
  const [tie, setTie] = useState(true)
  const [encoding, setEncoding] = useState('')
  const [delimiter, setDelimiter] = useState('')
  const [preview, setPreview] = useState<Preview | null>(null)
  const [mapping, setMapping] = useState<Mapping>({})
  const [done, setDone] = useState<Imported | null>(null)
  // How rows come in: [] adds every one, else by these columns they find the case they change.
  const [by, setByOnly] = useState<string[]>([])
  const [gone, setGone] = useState<'keep' | 'remove'>('keep')
  const [update, setUpdate] = useState<UpdatePreview | null>(null)
  const [stale, setStale] = useState(false)
  // Refused lines that were put right, by line.
  const [mended, setMendedOnly] = useState<Mended>({})
  const upload = useUpload()
  const { read, problem, setProblem, stop } = upload

  const send = <Done>(path: string, data: FormData) =>
    upload.send<Done>(`/api/datasets/${dataset}/${path}/`, data)
  /** known: how a file that is read again was taken in before. */
  const look = async (chosen: Chosen | null, enc: string, del: string, known?: Tie) => {
    setPreview(null)
    setUpdate(null)
    setMendedOnly({})
    setByOnly([])
    setDone(null)
    setProblem(null)
    if (!chosen) return
    const found = await send<Preview>('preview', formOf(chosen, enc, del))
    if (!found) return
    setPreview(found)
    if (known) {
      const as = againMapped(found, known.mapping)
      setMapping(as)
      setByOnly(known.by.length > 0 ? known.by : againBy(as))
      setGone(known.gone)
      return
    }
    // A file with ids was exported before: its rows change their cases and are no further ones.
    const filled = of.working + of.held_out > 0
    // A folder that was brought in before is read again.
    const again = chosen.name.endsWith('.documents') && of.columns.includes('path')
    const withId = found.columns.some((c) => c.use === 'id')
    setByOnly(filled && withId ? ['#id'] : filled && again ? ['path'] : [])
    // The text of a document fills what the prompt asks for, where that is one thing.
    const one = chosen.name.endsWith('.documents') && found.unfilled.length === 1
    const text = one ? 'text' : null
    setMapping(
      Object.fromEntries(
        found.columns.map((c) => [
          c.name,
          { as: c.use, name: (c.name === text && found.unfilled[0]) || c.name, kind: c.kind },
        ]),
      ),
    )
  }
  const whole = (chosen: Chosen) => {
    const data = formOf(chosen, encoding, delimiter)
    data.set('mapping', JSON.stringify(mapping))
    data.set('split', split)
    data.set('by', JSON.stringify(by))
    data.set('gone', gone)
    const lines = Object.entries(mended).map(([line, values]) => ({ line: Number(line), values }))
    data.set('mended', JSON.stringify(lines))
    return data
  }
  /** What stands above was changed: what an update would do must be looked at again. */
  const setBy = (now: string[]) => {
    setUpdate(null)
    setByOnly(now)
  }
  const compare = async () => {
    if (!file) return
    const found = await send<UpdatePreview>('compare', whole(file))
    if (!found) return
    setUpdate(found)
    setStale(false)
  }
  const setMended = (now: Mended) => {
    // What was seen stays in sight while one types, but must be looked at again.
    setStale(true)
    setMendedOnly(now)
  }
  /** only: the lines that were put right after the others came in. */
  const take = async (only = false) => {
    if (!file) return
    const data = whole(file)
    if (only) data.set('only_mended', 'true')
    // Before it is read: what is changed in the file from here on is told as changed since.
    if (!(file instanceof File) && tie)
      await tieDataset(dataset, {
        how: { path: file.path, mapping, by, gone, split, encoding, delimiter },
      })
    const found = await send<Imported>('import', data)
    if (!found) return
    setDone(found)
    setMendedOnly({})
    refresh()
    void cache.invalidateQueries({ queryKey: casesOf(dataset) })
  }
  return {
    file,
    tie,
    setTie,
    setFile,
    encoding,
    setEncoding,
    delimiter,
    setDelimiter,
    preview,
    mapping,
    setMapping: (now: Mapping) => {
      setUpdate(null)
      setMapping(now)
    },
    by,
    setBy,
    gone,
    setGone,
    update,
    stale,
    mended,
    setMended,
    compare,
    done,
    read,
    problem,
    look,
    take,
    stop,
  }
}
