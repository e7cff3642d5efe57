import { expect, test } from 'vitest'
import { standingOf } from './forest'

const HELD = { complete: true, level: 0.04, margin: 0.05 }
const figures = (difference: number, low: number, high: number, p_holm: number | null) => ({
  difference,
  low,
  high,
  p_holm,
})

test('better and worse come from the test, level from the whole interval', () => {
  expect(standingOf(figures(0.06, 0.01, 0.11, 0.04), HELD)).toBe('better')
  expect(standingOf(figures(0.06, 0.01, 0.11, 0.041), HELD)).toBe('not shown')
  expect(standingOf(figures(-0.06, -0.11, -0.01, 0.001), HELD)).toBe('worse')
  expect(standingOf(figures(0.01, -0.049, 0.049, 0.7), HELD)).toBe('level')
  expect(standingOf(figures(0.01, -0.05, 0.04, 0.7), HELD)).toBe('not shown')
  expect(standingOf(figures(0.01, -0.04, 0.04, null), HELD)).toBe('level')
  expect(standingOf(figures(0.3, 0.2, 0.4, 0.001), { ...HELD, complete: false })).toBe('so far')
})
