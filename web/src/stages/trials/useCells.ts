import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import type { Schemas } from '@/api/client'
import { listen } from '@/api/live'
import { cellsQuery } from '@/api/trials'

export type CellOutput = { output: number; repeat: number; outcome: string; total: number | null }
export type Cells = {
  cases: Schemas['CellCase'][]
  /** Outputs of one arm for one case, by `arm:revision`. */
  at: Map<string, CellOutput[]>
  done: number
}

type Row = [number, number, number, number, string, number | null]

/** A snapshot comes column by column, an event row by row. */
function rowsOf(c: Schemas['CellColumns']): Row[] {
  return c.output.map((output, i) => [
    output,
    c.arm[i] ?? 0,
    c.revision[i] ?? 0,
    c.repeat[i] ?? 0,
    c.outcome[i] ?? '',
    c.total[i] ?? null,
  ])
}

/** The matrix as it fills: a snapshot, and every event that came after it. */
export function useCells(trialId: number, running: boolean) {
  const snapshot = useQuery({ ...cellsQuery(trialId), staleTime: running ? 0 : 60_000 })
  const held = useRef<Held | null>(null)
  const waiting = useRef<Row[]>([])
  const [cells, setCells] = useState<Cells | null>(null)

  useEffect(() => {
    const data = snapshot.data
    if (!data) return
    held.current = { cases: data.cases, at: new Map(), seen: new Set() }
    take(held.current, rowsOf(data.outputs))
    // Events that the snapshot contains already are known by their output's id.
    take(held.current, waiting.current)

    setCells(picture(held.current))
  }, [snapshot.data])

  useEffect(() => {
    let frame: number | null = null
    const stop = listen((event) => {
      if (event.kind === 'snapshot') void snapshot.refetch()
      if (event.topic !== `trial:${trialId}`) return
      // Failed outputs make room when a trial goes on: the matrix begins anew.
      if (event.kind === 'continued') void snapshot.refetch()
      if (event.kind !== 'outputs') return
      waiting.current.push(...(event.rows as Row[]))
      // Several batches may come between two pictures; one drawing is enough.
      frame ??= requestAnimationFrame(() => {
        frame = null
        if (!held.current) return
        take(held.current, waiting.current)
        setCells(picture(held.current))
      })
    })
    return () => {
      stop()
      if (frame !== null) cancelAnimationFrame(frame)
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps -- refetch is stable
  }, [trialId])

  return { cells, error: snapshot.error }
}

type Held = { cases: Schemas['CellCase'][]; at: Map<string, CellOutput[]>; seen: Set<number> }

function picture(held: Held): Cells {
  return { cases: held.cases, at: held.at, done: held.seen.size }
}

function take(into: Held, rows: Row[]): void {
  for (const [output, arm, revision, repeat, outcome, total] of rows) {
    if (into.seen.has(output)) continue
    into.seen.add(output)
    const key = `${arm}:${revision}`
    const found = into.at.get(key)
    const cell = { output, repeat, outcome, total }
    if (found) found.push(cell)
    else into.at.set(key, [cell])
  }
}
