import { useEffect, useMemo } from 'react'
import type { Schemas } from '@/api/client'
import type { Cells } from '../useCells'
import { asShown, firstShown, type Shown } from './selection'
import type { Answers } from './useAnswers'

/** Opens an answer by its id, where its case stands; a link may name one. What was replaced is handed on. */
export function useOutputAsked(
  trial: Schemas['TrialSummary'],
  cells: Cells | null,
  answers: Answers,
  onFormer: (id: number) => void,
): (id: number) => void {
  const { search, go } = answers
  const places = useMemo(() => {
    const found = new Map<number, { revision: number; one: Shown }>()
    const byPosition = new Map(trial.arms.map((a) => [a.position, a.id]))
    cells?.at.forEach((outputs, key) => {
      const [position, revision] = key.split(':').map(Number)
      const arm = byPosition.get(position ?? -1)
      if (arm !== undefined)
        outputs.forEach((o) =>
          found.set(o.output, { revision: revision ?? 0, one: { arm, repeat: o.repeat } }),
        )
    })
    return found
  }, [cells, trial.arms])
  const ids = answers.arms.map((a) => a.id)
  const open = (id: number, replace = false) => {
    const place = places.get(id)
    const c = place && cells?.cases.find((x) => x.revision === place.revision)
    if (!place || !c) return onFormer(id)
    go((now) => {
      now.delete('output')
      now.delete('at')
      now.set('case', String(c.number))
      now.set('show', asShown(firstShown(place.one, ids, trial.reference, trial.repeats)))
    }, replace)
  }
  const asked = Number(search.get('output')) || null
  useEffect(() => {
    if (asked === null || cells === null) return
    open(asked, true)
    if (!places.has(asked))
      go((now) => {
        now.delete('output')
      }, true)
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once for each answer that is asked for
  }, [asked, cells !== null])
  return open
}
