import { expect, test } from 'vitest'
import { priceInWords, priceShare } from './price'

const words = (a: number | null, b: number | null) =>
  priceInWords({ cost_per_1000: a }, { cost_per_1000: b })

test('a price beside another is told as people say it', () => {
  expect(words(137, 100)).toBe('It costs 37 % more.')
  expect(words(27, 100)).toBe('It costs 73 % less.')
  expect(words(101.9, 100)).toBe('It costs as much.')
  expect(words(299, 100)).toBe('It costs 199 % more.')
  expect(words(420, 100)).toBe('It costs 4.2 times as much.')
  expect(words(null, 100)).toBe('')
  expect(words(100, 0)).toBe('')
  expect(priceShare({ cost_per_1000: 27 }, { cost_per_1000: 100 })).toBe('at 27 % of the price')
  expect(priceShare({ cost_per_1000: 550 }, { cost_per_1000: 100 })).toBe('at 5.5 × the price')
})
