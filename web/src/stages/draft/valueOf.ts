import type { useCaseAt } from './useCaseAt'

const MOST_SHOWN = 900

/** What fills a placeholder, in words: the value of the chosen case, or why there is none. */
export function valueOf(
  name: string,
  { chosen }: Pick<ReturnType<typeof useCaseAt>, 'chosen'>,
): string {
  if (name.startsWith('steps.')) return `what step ${name.slice(6)} answers`
  if (!chosen) return 'no case to fill it from'
  const value = chosen.inputs[name]
  if (value === undefined || value === null) return `case ${chosen.number} has no ${name}`
  const text = typeof value === 'string' ? value : JSON.stringify(value)
  return `case ${chosen.number}: ${text.slice(0, MOST_SHOWN)}`
}
