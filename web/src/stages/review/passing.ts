import type { Schemas } from '@/api/client'

export type Judgement = 'good' | 'usable' | 'bad'
type Row = Pick<Schemas['ReadingRow'], 'output' | 'same' | 'inherits'>
export type Taken = { output: number; source: number; judgement: Judgement | undefined }

/**
 * From a place on, the next answer that is to be read: those that read as one that is marked take its mark over.
 * taken: the answers passed over with the one they take it from, and its judgement where it is known here.
 */
export function passOver(
  queue: Row[],
  known: Record<number, Judgement>,
  from: number,
): { to: number; taken: Taken[] } {
  const seen = new Map(
    queue.flatMap((r) =>
      known[r.output] && r.same !== undefined ? [[r.same, r.output] as const] : [],
    ),
  )
  const taken: Taken[] = []
  let to = from
  for (; to < queue.length; to++) {
    const row = queue[to]
    if (!row || known[row.output]) break
    const source = (row.same === undefined ? undefined : seen.get(row.same)) ?? row.inherits ?? null
    if (source === null) break
    taken.push({ output: row.output, source, judgement: known[source] })
  }
  return { to: Math.min(to, Math.max(0, queue.length - 1)), taken }
}

/** What is marked already, where reading begins, and what is passed over on the way there. */
export function openingOf(queue: Schemas['ReadingRow'][]) {
  const known = Object.fromEntries(
    queue.flatMap((r) => (r.judgement ? [[r.output, r.judgement as Judgement]] : [])),
  )
  const first = queue.findIndex((r) => r.judgement === null)
  return { known, ...(first < 0 ? { to: 0, taken: [] } : passOver(queue, known, first)) }
}

/** Until the server says which mark was taken over, one from another trial shows as usable. */
export function asMarks(taken: Taken[]): Record<number, Judgement> {
  return Object.fromEntries(taken.map((x) => [x.output, x.judgement ?? 'usable']))
}
