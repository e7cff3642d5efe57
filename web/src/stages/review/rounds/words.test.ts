import { describe, expect, it } from 'vitest'
import { gapInWords, heldInWords } from './words'

const gap = {
  working: 0.3,
  held_out: 0.1,
  gap: 0.2,
  low: 0.05,
  high: 0.35,
  reading: 'too closely',
  why_null: null,
  n_working: 120,
  n_held_out: 40,
} as const
const versions = { start: 1, best: 4 }

describe('rounds in plain words', () => {
  it('says a gain holds only where its whole interval is above zero', () => {
    expect(
      heldInWords(versions, { difference: 0.1, low: 0.02, high: 0.18, p: 0.01, n_cases: 40 }),
    ).toMatch(/^The gain holds: on 40 cases .* v4 scores 0.10 higher than v1/)
    expect(
      heldInWords(versions, { difference: 0.1, low: -0.01, high: 0.2, p: 0.06, n_cases: 40 }),
    ).toMatch(/^Cannot tell/)
    expect(
      heldInWords(versions, { difference: -0.1, low: -0.2, high: -0.02, p: 0.01, n_cases: 40 }),
    ).toMatch(/does not hold.*0.10 lower/)
    expect(
      heldInWords(versions, { difference: null, low: null, high: null, p: null, n_cases: 0 }),
    ).toMatch(/nothing can be said/)
  })
  it('words the gap by its reading, and a gap that spans zero as cannot tell', () => {
    expect(gapInWords(gap)).toMatch(/^Yes/)
    expect(gapInWords({ ...gap, reading: 'not too closely', low: -0.3, high: -0.1 })).toMatch(/^No/)
    expect(gapInWords({ ...gap, reading: 'cannot tell', low: -0.1, high: 0.1 })).toMatch(
      /^Cannot tell: .*120 working cases.*40 held-out/,
    )
    expect(gapInWords({ ...gap, gap: null, why_null: 'fewer than two cases on one side' })).toMatch(
      /fewer than two cases/,
    )
  })
})
