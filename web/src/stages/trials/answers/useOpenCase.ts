import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { selectionQuery } from '@/api/reviews'
import { useKeys } from '@/keys/useKeys'
import type { Cells } from '../useCells'
import type { Against } from './AnswerColumn'
import { exchanged, MOST_SHOWN, queryOf, withCount } from './selection'
import { outputAt, type Answers } from './useAnswers'

type Trial = Schemas['TrialSummary']

/** An open case: which answers stand side by side, what they are held against, and its keys. */
export function useOpenCase(trial: Trial, answers: Answers, cells: Cells) {
  const cache = useQueryClient()
  const [whole, setWhole] = useState(false)
  const [said, setSaid] = useState('')
  const { open, cases, shown, focus, show, selection } = answers
  const ids = answers.arms.map((a) => a.id)
  const outputs = shown.map((s) =>
    open ? (outputAt(cells, trial, open.revision, s) ?? null) : null,
  )
  const told = answers.search.get('vs')
  const against: Against = told === 'other' || told === 'none' ? told : 'wanted'
  const setAgainst = (to: Against) =>
    answers.go((now) => {
      if (to === 'wanted') now.delete('vs')
      else now.set('vs', to)
    }, true)
  const step = (by: 1 | -1) => {
    const at = cases.findIndex((c) => c.revision === open?.revision)
    const next = at < 0 ? cases[0] : cases[at + by]
    setSaid('')
    if (next) answers.openCase(next)
    else setSaid(by > 0 ? 'This is the last case of the selection.' : 'This is the first one.')
  }
  const nextUnmarked = async () => {
    const arm = shown[focus]?.arm
    const query = { ...selection, mark: 'unmarked', arms: arm ? [arm] : selection.arms }
    const found = await cache.fetchQuery({
      ...selectionQuery(trial.id, queryOf(query), trial.state),
      staleTime: 0,
    })
    const left = new Set(found.revisions)
    const at = cases.findIndex((c) => c.revision === open?.revision)
    const round = [...cases.slice(at + 1), ...cases.slice(0, Math.max(0, at))]
    const next = round.find((c) => left.has(c.revision))
    setSaid(next ? '' : 'Every answer of this arm among these is marked.')
    if (next) answers.openCase(next)
  }
  const cycle: Record<Against, Against> = { wanted: 'other', other: 'none', none: 'wanted' }
  const shift = (by: 1 | -1) => show(exchanged(shown, focus, by, ids, trial.repeats))
  const many = (press: KeyboardEvent | null) => {
    const n = Number(press?.key)
    if (n >= 2 && n <= MOST_SHOWN) show(withCount(shown, n, ids, trial.repeats))
    else return false
    return true
  }
  useKeys({
    'answer.next': () => step(1),
    'answer.before': () => step(-1),
    'answer.right': () => show(shown, Math.min(focus + 1, shown.length - 1)),
    'answer.left': () => show(shown, Math.max(focus - 1, 0)),
    'answer.other': () => shift(1),
    'answer.otherBack': () => shift(-1),
    'answer.many': many,
    'answer.differences': () => setAgainst(cycle[against]),
    'answer.input': () => setWhole(!whole),
    'answer.unmarked': () => void nextUnmarked(),
    'answer.close': () => answers.close(),
  })
  return { outputs, against, setAgainst, whole, setWhole, said, setSaid, nextUnmarked, many }
}

export type OpenCaseState = ReturnType<typeof useOpenCase>
