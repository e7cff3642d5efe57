import { describe, expect, it } from 'vitest'
import { frontierOf } from './frontier'

const at = (id: number, score: number, cost: number) => ({ id, score, cost })

describe('the frontier of score and price', () => {
  it('keeps what nothing is both better and cheaper than', () => {
    expect(frontierOf([at(1, 0.9, 10), at(2, 0.8, 5), at(3, 0.7, 6), at(4, 0.5, 1)])).toEqual([1, 2, 4])
  })
  it('drops an equal score at a higher price and an equal price at a lower score', () => {
    expect(frontierOf([at(1, 0.8, 5), at(2, 0.8, 6), at(3, 0.7, 5)])).toEqual([1])
  })
  it('keeps points that are alike in both', () => {
    expect(frontierOf([at(1, 0.8, 5), at(2, 0.8, 5)])).toEqual([1, 2])
  })
})
