import { describe, expect, it } from 'vitest'
import type { Schemas } from '@/api/client'
import { inPlainWords } from './words'

const a = { letter: 'A', version: 7, model: 'standin-boulder' }
const b = { letter: 'B', version: 5, model: 'standin-boulder' }

function comparison(figures: Partial<Schemas['CompareFigures']> | null, complete = true) {
  return {
    a, b, complete, family: [], changed: [],
    figures: figures && {
      a: 1, b: 2, n_cases: 120, difference: 0.052, low: 0.018, high: 0.087, p: 0.004, p_holm: 0.008,
      wins: 31, ties: 80, losses: 9, cases_needed: 200, method: 'bca', why_null: null, ...figures,
    },
  } as unknown as Schemas['ComparisonShape']
}

describe('the comparison in plain words', () => {
  it('says yes only when the corrected test says so', () => {
    expect(inPlainWords(comparison({}), a, b)).toMatch(/^Yes: v7 on boulder scores 0\.052 higher than v5 on boulder, between \+0\.018 and \+0\.087/)
    expect(inPlainWords(comparison({ p_holm: 0.05 }), a, b)).toMatch(/^Cannot tell/)
  })
  it('says no when it is worse', () => {
    expect(inPlainWords(comparison({ difference: -0.05, low: -0.09, high: -0.01 }), a, b)).toMatch(/^No: .* 0\.050 lower/)
  })
  it('decides nothing before the trial is complete', () => {
    const words = inPlainWords(comparison({}, false), a, b)
    expect(words).toMatch(/decides nothing/)
    expect(words).not.toMatch(/Yes|No:/)
  })
  it('says why two arms cannot be compared', () => {
    expect(inPlainWords(comparison({ difference: null, why_null: 'no case was answered by both arms' }), a, b)).toMatch(/cannot be compared: no case/)
  })
  it('calls equal scores equal', () => {
    expect(inPlainWords(comparison({ difference: 0, p_holm: 1 }), a, b)).toMatch(/score the same/)
  })
})
