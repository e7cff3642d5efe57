import { describe, expect, it } from 'vitest'
import { labelsApart, frontierOf, stairs } from './frontier'

const at = (id: number, score: number, cost: number, time: [number, number] = [1, 1]) => ({
  id,
  score,
  cost,
  time,
})

describe('the frontier of score, price and time', () => {
  it('keeps what nothing is better, cheaper and as quick than', () => {
    expect(frontierOf([at(1, 0.9, 10), at(2, 0.8, 5), at(3, 0.7, 6), at(4, 0.5, 1)])).toEqual([
      1, 2, 4,
    ])
  })
  it('drops an equal score at a higher price and an equal price at a lower score', () => {
    expect(frontierOf([at(1, 0.8, 5), at(2, 0.8, 6), at(3, 0.7, 5)])).toEqual([1])
  })
  it('keeps what is dearer and no better only where it is quicker beyond chance', () => {
    expect(
      frontierOf([at(1, 0.8, 5, [3, 4]), at(2, 0.8, 6, [1, 2]), at(3, 0.8, 6, [2.5, 3.5])]),
    ).toEqual([1, 2])
  })
  it('keeps points that are alike in all', () => {
    expect(frontierOf([at(1, 0.8, 5), at(2, 0.8, 5)])).toEqual([1, 2])
  })
  it('joins only what rises with the price', () => {
    const points = [
      { mean: 0.5, at: 1 },
      { mean: 0.4, at: 2 },
      { mean: 0.7, at: 3 },
      { mean: 0.7, at: 4 },
    ]
    expect(stairs(points)).toEqual([points[0], points[2]])
  })
})

it('letters of arms that lie close together stand apart', () => {
  const marks = [0, 3, 6, 9, 12].map((d, i) => ({
    x: 100 + d,
    y: 80 + (i % 2),
    text: 'ABCDE'[i] ?? '',
  }))
  const at = labelsApart(marks).map((p, i) => ({
    x: (marks[i]?.x ?? 0) + p.dx,
    y: (marks[i]?.y ?? 0) + p.dy,
  }))
  for (const [i, p] of at.entries())
    for (const q of at.slice(i + 1))
      expect(Math.abs(p.x - q.x) >= 7 || Math.abs(p.y - q.y) >= 9).toBe(true)
})
