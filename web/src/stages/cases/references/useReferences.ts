import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { briefKeys } from '@/api/briefs'
import type { Schemas } from '@/api/client'
import { casesOf } from '@/api/datasets'
import { referencesQuery, writeReference } from '@/api/reviews'
import { useWrite } from '@/api/useWrite'
import { forgetTyped } from '@/parts/typed'

export type Row = Schemas['ReferenceRow']
export type Which = 'open' | 'differ' | 'all'
export type Written = { reference: string; forms: string[] }

const PAGE = 20

/** Cases one after another: which, whose answers they begin with, and what was written of them. */
export function useReferences(brief: number, dataset: number) {
  const [search, setSearch] = useSearchParams()
  const told = search.get('references')
  const which: Which = told === 'differ' || told === 'all' ? told : 'open'
  const arm = Number(search.get('start')) || null
  const two = search.get('two') === 'true'
  // Those that were left as they are stay in the list, those written leave it.
  const [offset, setOffset] = useState(0)
  const [at, setAt] = useState(0)
  const [turn, setTurn] = useState(0)
  const [done, setDone] = useState<Record<number, Schemas['ReferenceWritten']>>({})
  const cache = useQueryClient()
  const asked = { which, offset, limit: PAGE, two: String(two), ...(arm ? { arm } : {}) }
  const page = useQuery({
    ...referencesQuery(dataset, asked, turn),
    staleTime: Infinity,
    gcTime: 0,
    placeholderData: (former) => former,
  })
  const rows = page.data?.rows ?? []
  const begin = (at: number) => {
    setOffset(at)
    setAt(0)
    setDone({})
    setTurn((t) => t + 1)
  }
  const choose = (name: 'references' | 'start' | 'two', value: string) => {
    setSearch(
      (now) => {
        if (value || name === 'references') now.set(name, value)
        else now.delete(name)
        return now
      },
      { replace: true },
    )
    begin(0)
  }
  const next = (written?: number) => {
    if (at + 1 < rows.length) return setAt(at + 1)
    const gone = which === 'all' ? 0 : Object.keys(done).length + (written === undefined ? 0 : 1)
    begin(offset + rows.length - gone)
  }
  const { write, pending, problem } = useWrite([...briefKeys(brief)])
  const keep = (row: Row, said: Written, settle = false) =>
    write(async () => {
      const made = await writeReference(row.revision, {
        before: row.reference,
        reference: said.reference,
        forms: said.forms,
        // What two have written is settled, and a reference there is put right, by one.
        two: two && !settle && row.reference === null,
      })
      forgetTyped(`right ${row.revision}`)
      setDone((d) => ({ ...d, [row.revision]: made }))
      for (const key of [casesOf(dataset), ['output'], ['trial']])
        void cache.invalidateQueries({ queryKey: key })
      next(done[row.revision] ? undefined : row.revision)
    })
  const shown = rows[at]
  const row = shown && (done[shown.revision]?.row ?? shown)
  return {
    ...{ which, arm, two, choose, page, pending, problem, keep, offset, at },
    row: row && shown ? { ...row, start: shown.start } : undefined,
    became: shown ? done[shown.revision]?.became : undefined,
    next: () => next(),
    before: at > 0 ? () => setAt(at - 1) : null,
    again: () => begin(0),
  }
}

export type References = ReturnType<typeof useReferences>
