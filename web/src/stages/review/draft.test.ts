import { describe, expect, test } from 'vitest'
import { toCodePoint } from '@/parts/codepoints'
import { segments, stops } from './draft'

describe('comments on words of an answer', () => {
  test('overlapping ones part the text into runs that join to the whole', () => {
    const text = 'a 🚢 b cde'
    const found = segments(
      text,
      [
        { start: 2, end: 5 },
        { start: 4, end: 8 },
      ],
      null,
    )
    expect(found.map((s) => s.text).join('')).toBe(text)
    expect(found.map((s) => [s.text, s.spans])).toEqual([
      ['a ', []],
      ['🚢 ', [0]],
      ['b', [0, 1]],
      [' cd', [1]],
      ['e', []],
    ])
  })
  test('a span beyond the text does no harm', () => {
    expect(
      segments('ab', [{ start: 1, end: 9 }], { start: 0, end: 1 }).map((s) => [s.text, s.chosen]),
    ).toEqual([
      ['a', true],
      ['b', false],
    ])
  })
  test('places are code points', () => {
    expect(toCodePoint('🚢b', 2)).toBe(1)
  })
  test('of a JSON answer, through its keys with their values', () => {
    const text = '{"category": "lost item", "vessel": null, "n": [1, "a"]}'
    expect(stops(text).map((s) => text.slice(s.start, s.end))).toEqual([
      '"category": "lost item"',
      '"vessel": null',
      '"n"',
      '"a"',
    ])
  })
  test('keys step through sentences and lines', () => {
    const text = 'One. “Two!” three\n{"a": 1}\n\n Four'
    expect(stops(text).map((s) => text.slice(s.start, s.end))).toEqual([
      'One.',
      '“Two!”',
      'three',
      '{"a": 1}',
      'Four',
    ])
  })
})
