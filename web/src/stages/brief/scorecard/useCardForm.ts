import { useState } from 'react'
import { briefKeys, saveScorecard } from '@/api/briefs'
import { inWords, Problem, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { changedMeanwhile } from '@/parts/Meanwhile'
import { forgetTyped, useTyped } from '@/parts/typed'
import {
  beginningOf,
  draftOf,
  ParameterError,
  rowOf,
  type Card,
  type DraftRow,
  type DraftThreshold,
  type Measure,
  type Row,
} from './card'

/** What is typed; seen: the scorecard it is made from, so that a newer one is told, not passed over. */
export type Kept = {
  margin: string
  rows: (DraftRow & { id: number })[]
  thresholds: DraftThreshold[]
  beginning: { begins: string; mark: string }
  seen: number | null
}

/** With a measure that a person came to add; it stands beside the score until it is given a weight. */
function withAlso(rows: Row[], also: string | null): Row[] {
  return also === null || rows.some((r) => r.measure === also)
    ? rows
    : [...rows, { measure: also, weight: 0 }]
}

/** A scorecard being written: it outlives a reload, and is saved over nobody else's unseen. */
export function useCardForm(
  brief: Schemas['BriefDetail'],
  card: Card | undefined,
  measures: Measure[],
  first: { measure: string }[],
  also: string | null,
  onDone: () => void,
) {
  const place = `scorecard ${brief.id}`
  const byName = (name: string) => measures.find((m) => m.name === name)
  const [kept, setKept] = useTyped<Kept>(place, {
    margin: String(card?.margin ?? 0.05),
    rows: withAlso(card?.measures ?? named(first), also).map((m, id) => ({
      ...draftOf(m, byName(m.measure)),
      id,
    })),
    thresholds: (card?.thresholds ?? []).map((t) => ({
      measure: t.measure ?? 'total',
      rule: t.at_least === undefined ? 'at_most' : 'at_least',
      value: String(t.at_least ?? t.at_most ?? ''),
    })),
    beginning: beginningOf(card),
    seen: brief.scorecard?.number ?? null,
  })
  const writing = useWrite(briefKeys(brief.id))
  const [mine, setMine] = useState<Card | null>(null)
  const problem =
    writing.problem === null
      ? null
      : {
          field: writing.problem instanceof Problem ? (writing.problem.field ?? '') : '',
          text: inWords(writing.problem),
        }
  const leave = () => {
    forgetTyped(place)
    onDone()
  }
  const save = async (over = kept.seen) => {
    const built = []
    for (const [at, row] of kept.rows.entries()) {
      try {
        built.push(rowOf(row, byName(row.measure)))
      } catch (error) {
        if (!(error instanceof ParameterError)) throw error
        return writing.setProblem(
          new Problem(422, 'invalid', error.message, `measures.${at}.${error.parameter}`),
        )
      }
    }
    const document = documentOf(built, kept)
    setMine(document)
    await writing.write(async () => {
      await saveScorecard(brief.id, { document, seen: over })
      leave()
    })
  }
  return {
    kept,
    set: (part: Partial<Kept>) => setKept((before) => ({ ...before, ...part })),
    names: ['total', ...kept.rows.map((r) => r.name.trim() || r.measure)],
    problem,
    now: changedMeanwhile(writing.problem),
    mine,
    save,
    leave,
  }
}

function documentOf(
  measures: Card['measures'],
  { margin, thresholds, beginning }: Pick<Kept, 'margin' | 'thresholds' | 'beginning'>,
): Card {
  return {
    nomikon: 'scorecard/1',
    margin: Number(margin),
    measures,
    ...(thresholds.length
      ? {
          thresholds: thresholds.map((t) => ({
            measure: t.measure,
            [t.rule]: t.value.trim() === '' ? null : Number(t.value),
          })),
        }
      : {}),
    ...(beginning.begins === 'whole'
      ? {}
      : beginning.begins === 'mark'
        ? { answer: beginning }
        : { answer: { begins: beginning.begins } }),
  }
}

/** What is proposed, each under a name of its own; where nothing is, one row to begin with. */
function named(first: { measure: string }[]): { measure: string; name?: string }[] {
  if (first.length === 0) return [{ measure: 'exact-match' }]
  const seen = new Map<string, number>()
  return first.map((m) => {
    const n = (seen.get(m.measure) ?? 0) + 1
    seen.set(m.measure, n)
    return n === 1 ? m : { ...m, name: `${m.measure} ${n}` }
  })
}
