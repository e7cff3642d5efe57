import { expect, test } from 'vitest'
import { rowsOf, valuesOf } from './rows'

test('values are lines, each once, and those of several placeholders are combined or paired', () => {
  expect(valuesOf(' dry \n\nwet\ndry')).toEqual(['dry', 'wet'])
  const lists = { sea: 'calm\nrough', port: 'Ebb\nNeap\nSpring', tone: ' ' }
  const all = rowsOf(lists, false, { sea: 'x', name: 'Ada' }).rows
  expect(all).toHaveLength(6)
  expect(all[1]).toEqual({ sea: 'calm', port: 'Neap', name: 'Ada' })
  // Row by row a list that ends sooner leaves the case's own value.
  expect(rowsOf(lists, true, { sea: 'x', name: 'Ada' }).rows).toEqual([
    { sea: 'calm', port: 'Ebb', name: 'Ada' },
    { sea: 'rough', port: 'Neap', name: 'Ada' },
    { sea: 'x', port: 'Spring', name: 'Ada' },
  ])
  expect(rowsOf({}, false, { sea: 'x' }).rows).toEqual([])
})

test('more than can be asked at once is told and not asked', () => {
  const many = Array.from({ length: 30 }, (_, i) => `v${i}`).join('\n')
  const found = rowsOf({ a: many, b: many }, false, {})
  expect([found.rows.length, found.wanted]).toEqual([500, 900])
})
