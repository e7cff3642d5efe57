import { expect, test } from 'vitest'
import { byPart, monthsOf } from './spending'

const row = (month: string, model: string, cost: number, name = 'Triage') => ({
  month,
  model,
  cost,
  name,
})

test('months without a spend stand between those with one, across a new year', () => {
  expect(monthsOf([row('2027-02', 'a', 1), row('2026-11', 'a', 1)])).toEqual([
    '2026-11',
    '2026-12',
    '2027-01',
    '2027-02',
  ])
  expect(monthsOf([])).toEqual([])
})

test('costs add up by part, the dearest first, and none is lost among the others', () => {
  const rows = [
    row('2026-11', 'a', 1),
    row('2026-11', 'b', 5),
    row('2026-12', 'b', 2),
    row('2026-11', 'c', 3),
    row('2026-12', 'd', 4),
  ]
  expect(byPart(rows, 'model', 9).map((p) => p.name)).toEqual(['b', 'd', 'c', 'a'])
  expect(byPart(rows, 'model', 3)).toEqual([
    { name: 'b', costs: { '2026-11': 5, '2026-12': 2 } },
    { name: 'd', costs: { '2026-12': 4 } },
    { name: 'all others', costs: { '2026-11': 4 } },
  ])
  expect(byPart(rows, 'name', 3)).toEqual([
    { name: 'Triage', costs: { '2026-11': 9, '2026-12': 6 } },
  ])
})
