import type { RefObject } from 'react'
import { useKeys } from '@/keys/useKeys'
import type { Marking } from './useMarking'

type Around = {
  on: boolean
  box: RefObject<HTMLDivElement | null>
  /** Whether words of the answer are chosen: a comment is on them, then. */
  chosen: boolean
  step: (by: 1 | -1) => void
  precedent: () => void
}

/** Reading with the keyboard alone. */
export function useReaderKeys(marking: Marking, { on, box, chosen, step, precedent }: Around) {
  const { at, go, mark, undo, since, former, draft, change, kinds } = marking
  const focus = (selector: string) => box.current?.querySelector<HTMLElement>(selector)?.focus()
  const onFormer = (what: 'fixed' | 'still' | 'worse') => (former ? void since(what) : false)
  useKeys(
    {
      'review.good': () => void mark('good'),
      'review.usable': () => void mark('usable'),
      'review.bad': () => void mark('bad'),
      'review.fixed': () => onFormer('fixed'),
      'review.still': () => onFormer('still'),
      'review.worse': () => onFormer('worse'),
      'review.words': () => step(1),
      'review.wordsBack': () => step(-1),
      'review.comment': () => focus(chosen ? '[data-span-comment]' : 'textarea'),
      'review.fault': () => focus('[data-fault]'),
      'review.kind': (press) => {
        const kind = [...new Set([...kinds, ...draft.faults])][Number(press?.key) - 1]
        if (!kind) return false
        return change({
          ...draft,
          faults: draft.faults.includes(kind)
            ? draft.faults.filter((f) => f !== kind)
            : [...draft.faults, kind],
        })
      },
      'review.better': () => focus('textarea[data-better], [data-better] textarea'),
      'review.precedent': precedent,
      'review.undo': () => void undo(),
      'review.next': () => go(at + 1),
      'review.before': () => go(at - 1),
    },
    on,
  )
}
