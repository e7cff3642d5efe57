import type { Schemas } from '@/api/client'

export type Test = Schemas['ConditionRequest']['test']
export type Condition = { column: string; test: Test; value: string }

export const TESTS: [Test, string][] = [
  ['holds', 'holds'],
  ['lacks', 'does not hold'],
  ['is', 'is'],
  ['is-not', 'is not'],
  ['empty', 'is empty'],
  ['filled', 'is not empty'],
]

/** Columns that every case has, whatever its inputs. */
export const OWN_COLUMNS = ['#reference', '#tags', '#source', '#number']

/** Tests that compare with nothing. */
export const isBare = (test: Test) => test === 'empty' || test === 'filled'

/** A column as it is read. */
export const columnName = (key: string) => (key.startsWith('#') ? key.slice(1) : key)

/** A condition in words: “tags holds storm”. */
export const conditionInWords = (c: Condition) =>
  `${columnName(c.column)} ${TESTS.find(([k]) => k === c.test)?.[1] ?? c.test} ${c.value}`.trim()

/** Where a plan begins with the cases that the grid shows. */
export function planOfThese(
  brief: number,
  view: { split: string; words: string; where: Condition[] },
): string {
  const asked = new URLSearchParams()
  if (view.words) asked.set('words', view.words)
  if (view.where.length) asked.set('where', JSON.stringify(view.where))
  if (view.split) asked.set('split', view.split)
  return `/briefs/${brief}/trials/plan?${asked}`
}

/** The conditions that an address names; null where it names none or cannot be read. */
export function conditionsIn(text: string | null): Condition[] | null {
  if (!text) return null
  try {
    const told: unknown = JSON.parse(text)
    if (!Array.isArray(told)) return null
    return told.map((c: Partial<Condition>) => ({
      column: String(c.column),
      test: String(c.test) as Test,
      value: String(c.value ?? ''),
    }))
  } catch {
    return null
  }
}
