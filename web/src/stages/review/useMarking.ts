import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { briefQuery } from '@/api/briefs'
import type { Schemas } from '@/api/client'
import { inheritMark, markOutput, takeBackMark } from '@/api/reviews'
import { outputQuery } from '@/api/trials'
import { useWrite } from '@/api/useWrite'
import { useTyped } from '@/parts/typed'
import { EMPTY, isEmpty, saidOf, type MarkDraft } from './draft'
import type { Since } from './FormerNote'
import { asMarks, openingOf, passOver, type Judgement, type Taken } from './passing'

/** The answers of a reading with their marks: marking, taking back, taking over; what is typed stays with its answer. */
export function useMarking(brief: number, reading: Schemas['ReadingShape'], onMove: () => void) {
  const cache = useQueryClient()
  const { write, problem } = useWrite()
  const [opening] = useState(() => openingOf(reading.queue))
  const [marks, setMarks] = useState<Record<number, Judgement>>({
    ...asMarks(opening.taken),
    ...opening.known,
  })
  const [at, setAt] = useState(opening.to)
  const [drafts, setDrafts] = useTyped<Record<number, MarkDraft>>(`marks ${brief}`, {})
  const [kinds, setKinds] = useState(() => reading.fault_kinds.map((k) => k.name))
  const [counts, setCounts] = useState<Record<string, number>>(() =>
    Object.fromEntries(reading.fault_kinds.map((k) => [k.name, k.n])),
  )
  // Outputs in the order they were marked in, for the way back.
  const trail = useRef<number[]>([])
  const [canUndo, setCanUndo] = useState(false)
  // Marks on their way: an undo pressed at once waits for all of them.
  const sending = useRef<Promise<unknown>>(Promise.resolve())
  const [inherited, setInherited] = useState(0)
  const row = reading.queue[at]
  const current = row?.output ?? null
  const former = row?.former ?? null
  const mine = current === null ? undefined : marks[current]
  const draft = (current !== null && drafts[current]) || EMPTY
  const change = (d: MarkDraft) =>
    current !== null && setDrafts((all) => ({ ...all, [current]: d }))

  const inherit = async ({ output: to, source }: Taken) => {
    // The mark it is taken over from may still be on its way.
    await sending.current
    const back = () =>
      setMarks((m) => Object.fromEntries(Object.entries(m).filter(([k]) => Number(k) !== to)))
    await write(async () => {
      const made = await inheritMark(to, { from_output: source, drawn: reading.drawn })
      setMarks((m) => ({ ...m, [to]: made.judgement }))
      setInherited((n) => n + 1)
    }, back)
  }

  const go = (to: number) => {
    setAt(Math.min(Math.max(to, 0), reading.queue.length - 1))
    onMove()
  }
  const mark = async (judgement: Judgement, said = draft, since?: Since) => {
    if (current === null) return
    const marked = current
    const before = marks[marked]
    // The mark is taken back and what was said returned, so that nothing typed is lost.
    const back = () => {
      setMarks((m) => {
        const rest = { ...m }
        if (before) rest[marked] = before
        else delete rest[marked]
        return rest
      })
      setDrafts((all) => ({ ...all, [marked]: said }))
      setAt(at)
    }
    const known = { ...marks, [marked]: judgement }
    setMarks(known)
    setDrafts((all) =>
      Object.fromEntries(Object.entries(all).filter(([k]) => Number(k) !== marked)),
    )
    setKinds((all) => [...new Set([...all, ...said.faults])])
    setCounts((all) => said.faults.reduce((n, f) => ({ ...n, [f]: (n[f] ?? 0) + 1 }), all))
    await write(async () => {
      const sent = markOutput(marked, {
        judgement,
        comment: said.comment,
        spans: said.spans,
        faults: said.faults,
        better: said.better || null,
        drawn: reading.drawn,
        former: former?.mark ?? null,
        since: since ?? '',
      }).then(() => {
        trail.current = [...trail.current, marked]
        setCanUndo(true)
      })
      sending.current = Promise.allSettled([sending.current, sent])
      const next = passOver(reading.queue, known, at + 1)
      if (next.taken.length) setMarks((m) => ({ ...asMarks(next.taken), ...m }))
      next.taken.forEach((x) => void inherit(x))
      go(next.to)
      await sent
      void cache.invalidateQueries({ queryKey: outputQuery(marked).queryKey })
      void cache.invalidateQueries({ queryKey: briefQuery(brief).queryKey, exact: true })
    }, back)
  }
  const undo = async () => {
    await sending.current
    const last = trail.current.at(-1)
    if (last === undefined) return
    await write(async () => {
      const back = await takeBackMark(last)
      trail.current = trail.current.slice(0, -1)
      setCanUndo(trail.current.length > 0)
      // A change of mind that is taken back brings the former mark back.
      const rest = Object.fromEntries(Object.entries(marks).filter(([k]) => Number(k) !== last))
      setMarks(back.judgement ? { ...rest, [last]: back.judgement as Judgement } : rest)
      void cache.invalidateQueries({ queryKey: outputQuery(last).queryKey })
      go(reading.queue.findIndex((r) => r.output === last))
    })
  }
  /** How this answer stands to a former one that was complained of. */
  const since = async (what: Since) => {
    if (!former) return
    // Still so: what was said of the former answer is said of this one, unless something else was.
    const said = what === 'still' && isEmpty(draft) ? { ...draft, ...saidOf(former) } : draft
    await mark(
      what === 'fixed' ? 'good' : what === 'worse' ? 'bad' : (former.judgement as Judgement),
      said,
      what,
    )
  }
  /** The output of the last mark, once it has arrived. */
  const lastMarked = async () => {
    await sending.current
    return trail.current.at(-1) ?? null
  }
  // What comes first may have been read before, too: its marks are stored once the page stands.
  const begun = useRef(false)
  useEffect(() => {
    if (begun.current) return
    begun.current = true
    opening.taken.forEach((x) => void inherit(x))
  })
  return {
    at,
    go,
    row,
    current,
    former,
    mine,
    draft,
    change,
    kinds,
    counts,
    canUndo,
    inherited,
    problem,
    mark,
    undo,
    since,
    lastMarked,
    done: Object.keys(marks).length,
  }
}

export type Marking = ReturnType<typeof useMarking>
