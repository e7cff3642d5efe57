import { expect, test } from 'vitest'
import { itemsIn } from './pieces'

test('items of a list are found in any dress, with what is indented below them', () => {
  const text =
    'Three harbours come to mind:\n\n1. Ebb, for its quay\n   and its light\n2) Neap\n- Spring\n\nWrite if you need more.'
  expect(itemsIn(text)).toEqual(['Ebb, for its quay\nand its light', 'Neap', 'Spring'])
  expect(itemsIn('• één\n• twee')).toEqual(['één', 'twee'])
  // One item is no list, and neither are sentences.
  expect(itemsIn('- alone')).toEqual([])
  expect(itemsIn('It sails at 9. Then it waits.\nIt lands at 10.')).toEqual([])
})
