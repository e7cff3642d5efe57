import { describe, expect, test } from 'vitest'
import {
  asked,
  asShown,
  EVERYTHING,
  exchanged,
  firstShown,
  queryOf,
  selectionIn,
  shownIn,
  withCount,
  withSelection,
} from './selection'

describe('a selection in the address', () => {
  const some = {
    ...EVERYTHING,
    arms: [12, 15],
    words: 'a & b = c?',
    tag: 'very hard',
    low: '0.2',
    repeatsDiffer: true,
    order: 'differ' as const,
    turned: true,
  }

  test('comes back from it, and leaves what is not its own', () => {
    const address = withSelection(new URLSearchParams('v=6&case=37'), some)
    const read = new URLSearchParams(address.toString())
    expect(selectionIn(read)).toEqual(some)
    expect([read.get('v'), read.get('case')]).toEqual(['6', '37'])
  })

  test('of everything leaves the address as it was, an order that was chosen stays said', () => {
    const address = withSelection(new URLSearchParams('v=6&tag=x&differ=yes'), EVERYTHING)
    expect(address.toString()).toBe('v=6')
    const ordered = withSelection(new URLSearchParams('v=6&order=worst'), EVERYTHING)
    expect(ordered.toString()).toBe('v=6&order=dataset')
  })

  test('a mangled address asks for nothing it cannot read', () => {
    const read = selectionIn(new URLSearchParams('arms=x,-3,7&order=beauty&differ=1'))
    expect(read).toEqual({ ...EVERYTHING, arms: [7] })
  })

  test('is put to the server and into words', () => {
    expect(queryOf(some)).toEqual({
      arms: '12,15',
      words: 'a & b = c?',
      tag: 'very hard',
      low: '0.2',
      repeats_differ: 'true',
      turned: 'true',
      order: 'differ',
    })
    expect(asked(some)).toEqual([
      '“a & b = c?”',
      'tag very hard',
      'total at least 0.2',
      'with repeats that disagree',
    ])
  })
})

describe('answers side by side', () => {
  const one = (arm: number, repeat = 0) => ({ arm, repeat })

  test('the one opened and the one it is held against', () => {
    expect(firstShown(one(3), [1, 2, 3], 2, 1)).toEqual([one(3), one(2)])
    expect(firstShown(one(2), [1, 2, 3], 2, 1)).toEqual([one(2), one(1)])
    expect(firstShown(one(1, 1), [1], null, 3)).toEqual([one(1, 1), one(1, 0)])
    expect(firstShown(one(1), [1], null, 1)).toEqual([one(1)])
  })

  test('as many as asked for, and never the same twice', () => {
    expect(withCount([one(3)], 3, [1, 2, 3], 1)).toEqual([one(3), one(1), one(2)])
    expect(withCount([one(3), one(1)], 1, [1, 2, 3], 1)).toEqual([one(3)])
    expect(withCount([one(1)], 4, [1], 2)).toEqual([one(1), one(1, 1)])
    expect(exchanged([one(1), one(2)], 0, 1, [1, 2, 3], 1)).toEqual([one(3), one(2)])
    expect(exchanged([one(1), one(2)], 1, -1, [1, 2, 3], 1)).toEqual([one(1), one(3)])
    expect(exchanged([one(1)], 0, 1, [1], 2)).toEqual([one(1, 1)])
    expect(exchanged([one(1), one(2)], 0, 1, [1, 2], 1)).toEqual([one(1), one(2)])
  })

  test('stand in the address', () => {
    const shown = [one(12), one(15, 2)]
    expect(shownIn(new URLSearchParams({ show: asShown(shown) }))).toEqual(shown)
    expect(shownIn(new URLSearchParams('show=a,,4.x,1,2,3,5'))).toEqual([
      one(4),
      one(1),
      one(2),
      one(3),
    ])
  })
})
