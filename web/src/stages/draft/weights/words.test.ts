import { expect, test } from 'vitest'
import { inAll, reachOf } from './words'

const of = (verdict: 'earns' | 'hurts' | 'does nothing' | 'cannot tell', low = 0, high = 0) => ({
  verdict,
  low,
  high,
})

test('clauses are summed up in words that agree with their numbers', () => {
  expect(inAll([of('earns'), of('earns'), of('hurts'), of('does nothing')])).toBe(
    'Of 4 clauses 2 earn their place, 1 hurts and 1 does nothing.',
  )
  expect(inAll([of('cannot tell')])).toBe('Of 1 clause of 1 it cannot be told on so few cases.')
  expect(inAll([])).toBe('Of 0 clauses none was weighed.')
})

test('the common scale holds the widest interval and is never nothing', () => {
  expect(reachOf([of('earns', 0.01, 0.093), of('hurts', -0.121, 0)])).toBeCloseTo(0.14)
  expect(reachOf([of('does nothing')])).toBeCloseTo(0.02)
})
