import type { Schemas } from '@/api/client'
import { plural, score } from '@/parts/numbers'

type Course = Schemas['CourseShape']

/** The held-out check in plain words, made from the figures by rule. */
export function heldInWords(
  course: Pick<Course, 'start' | 'best'>,
  found: Schemas['HeldDifference'],
): string {
  if (found.difference === null || found.low === null || found.high === null)
    return 'No case has an answer of both versions, so nothing can be said.'
  const size = `${score(Math.abs(found.difference))} ${found.difference < 0 ? 'lower' : 'higher'}`
  const cases = plural(found.n_cases, 'case')
  if (found.low > 0)
    return `The gain holds: on ${cases} nobody tuned on, v${course.best} scores ${size} than v${course.start}.`
  if (found.high < 0)
    return `The gain does not hold: on ${cases} nobody tuned on, v${course.best} scores ${size} than v${course.start}.`
  return `Cannot tell whether the gain holds: on ${cases} v${course.best} scores ${size} than v${course.start}, which chance explains too.`
}

/** Whether working cases were tuned to too closely. */
export function gapInWords(gap: Schemas['GapShape']): string {
  if (gap.gap === null) return `Cannot tell: ${gap.why_null ?? 'too few cases'}.`
  if (gap.reading === 'too closely')
    return 'Yes: the gain on working cases is larger than on held-out ones by more than chance explains.'
  if (gap.reading === 'not too closely')
    return 'No: the gain on held-out cases is less by no more than the margin, if at all.'
  return `Cannot tell: the gain on ${plural(gap.n_working, 'working case')} and on ${gap.n_held_out} held-out ones differ by no more than chance explains, but too few are there to show that they agree.`
}
