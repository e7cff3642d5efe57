import { describe, expect, test } from 'vitest'
import { placesOf } from './find'

describe('words in a long text', () => {
  test('stand where they stand, whatever the case', () => {
    expect(placesOf('Fähre, fähre und FÄHREN', ' fähre ')).toEqual([0, 7, 17])
    expect(placesOf('a.b*c a.b', 'A.B')).toEqual([0, 6])
    expect(placesOf('🚢 sail', 'sail')).toEqual([3])
  })
  test('nothing is found for nothing, and never twice at one place', () => {
    expect(placesOf('abc', '  ')).toEqual([])
    expect(placesOf('aaaa', 'aa')).toEqual([0, 2])
  })
  test('letters that grow in lower case do not shift what comes after', () => {
    expect(placesOf('İİ here', 'here')).toEqual([3])
  })
})
