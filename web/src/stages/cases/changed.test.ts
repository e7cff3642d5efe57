import { expect, test } from 'vitest'
import { changedSpan } from './changed'

test('what two texts share stands apart from what differs', () => {
  expect(changedSpan('the grey sea', 'the blue sea')).toEqual({
    same: 'the ',
    before: 'grey',
    after: 'blue',
    end: ' sea',
  })
  // What stands once in one and twice in the other is no overlap.
  expect(changedSpan('aa', 'aaa')).toEqual({ same: 'aa', before: '', after: 'a', end: '' })
  expect(changedSpan('', 'new')).toEqual({ same: '', before: '', after: 'new', end: '' })
  // A sign of two halves is one sign.
  expect(changedSpan('a🚢', 'a🚣').before).toBe('🚢')
})
