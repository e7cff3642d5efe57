import { expect, test } from 'vitest'
import { ownLists } from './ownLists'

test('facts of one kind, words that mean the same, and lines that are neither', () => {
  const text =
    'quay: North Wall, Ropewalk ,\n\n skiff = dinghy=tender\nNorth Wall, Ropewalk\ndory ='
  expect(ownLists(text)).toEqual({
    lists: [{ name: 'quay', values: ['North Wall', 'Ropewalk'] }],
    synonyms: [['skiff', 'dinghy', 'tender']],
    unread: ['North Wall, Ropewalk', 'dory ='],
  })
})
