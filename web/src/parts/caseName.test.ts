import { expect, test } from 'vitest'
import { caseName, caseNameWidth } from './caseName'

const named = (id: string, number = 7) => ({ id, number })

test('a case is called by its own id, and by its number where it has none', () => {
  expect([named('C-19'), named('')].map(caseName)).toEqual(['C-19', '7'])
})

test('the column of names is as wide as the longest, within bounds', () => {
  expect(caseNameWidth([named(''), named('')])).toBe(35)
  expect(caseNameWidth([named(''), named('C-4711')])).toBe(50)
  expect(caseNameWidth([named('x'.repeat(200))])).toBe(110)
})
