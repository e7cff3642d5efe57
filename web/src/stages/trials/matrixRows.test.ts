import { expect, test } from 'vitest'
import type { Schemas } from '@/api/client'
import { rowsOf, stepped } from './matrixRows'

const some = (number: number, tags: string[], label = ''): Schemas['CellCase'] => ({
  number,
  id: '',
  revision: number,
  tags,
  label,
  text: '',
})

const CASES = [some(1, ['storm']), some(2, []), some(3, ['storm', 'late'], 'wet')]

const told = (by: 'tag' | 'label', folded: string[] = []) =>
  rowsOf(CASES, by, new Set(folded)).map((r) =>
    r.kind === 'group' ? `${r.name} ${r.cases.length}` : r.case.number,
  )

test('a case stands under each of its tags, those without one last', () => {
  expect(told('tag')).toEqual(['late 1', 3, 'storm 2', 1, 3, 'without a tag 1', 2])
  expect(told('tag', ['storm'])).toEqual(['late 1', 3, 'storm 2', 'without a tag 1', 2])
  expect(told('label')).toEqual(['wet 1', 3, 'no label 2', 1, 2])
})

test('keys step over the heads of groups and stay at the ends', () => {
  const rows = rowsOf(CASES, 'tag', new Set())
  expect(stepped(rows, 0, 0)).toBe(1)
  expect(stepped(rows, 1, 1)).toBe(3)
  expect(stepped(rows, 4, -1)).toBe(3)
  expect(stepped(rows, 1, -1)).toBe(1)
  expect(stepped(rows, 6, 1)).toBe(6)
})
