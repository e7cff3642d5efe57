import { describe, expect, test } from 'vitest'
import {
  cellText,
  columnsOf,
  editOf,
  parseClipboard,
  REFERENCE,
  SPLIT,
  TAGS,
  toClipboard,
  undoOf,
  type Case,
} from './model'

const CASE: Case = {
  revision: 7,
  number: 3,
  id: '',
  inputs: { sea: 'North', depth: 12, extra: { a: 1 } },
  reference: 'yes',
  forms: [],
  conversation: null,
  source: '',
  tags: ['odd', 'long'],
  split: 'working',
}

describe('the clipboard of a spreadsheet', () => {
  test('quoted cells keep their tabs, breaks and quotes', () => {
    expect(parseClipboard('a\t"two\nlines"\t"say ""hi"""\r\nb\t\tc\n')).toEqual([
      ['a', 'two\nlines', 'say "hi"'],
      ['b', '', 'c'],
    ])
  })
  test('a quote that opens nothing is a quote', () => {
    expect(parseClipboard('"so" he said\t5"')).toEqual([['"so" he said', '5"']])
  })
  test('what is copied can be pasted back', () => {
    const cells = [
      ['a "b"', 'x\ty'],
      ['', 'one\ntwo'],
    ]
    expect(parseClipboard(toClipboard(cells))).toEqual(cells)
  })
})

describe('edits', () => {
  const columns = columnsOf(['sea', 'depth', 'extra'], { depth: 'number', extra: 'json' }, false)
  const named = (key: string) => columns.find((c) => c.key === key)!
  test('a cell reads as it is edited', () => {
    expect(columns.map((c) => cellText(CASE, c))).toEqual([
      'North',
      '12',
      '{"a":1}',
      'yes',
      'working',
      'odd; long',
    ])
  })
  test('inputs go as values, the rest by name, an empty reference is none', () => {
    const texts = new Map([
      [named('sea'), 'South'],
      [named(REFERENCE), ''],
      [named(SPLIT), 'Held out'],
      [named(TAGS), 'a; ;b '],
    ])
    expect(editOf(CASE, texts)).toEqual({
      revision: 7,
      values: { sea: 'South' },
      reference: null,
      split: 'held-out',
      tags: ['a', 'b'],
    })
    expect(editOf(null, new Map([[named('sea'), 'x']]))).toEqual({ values: { sea: 'x' } })
  })
  test('undo swaps a change back, takes out what came in and brings back what was taken out', () => {
    const before = { revision: 7, split: 'working', position: 2 }
    const made = { ...CASE, revision: 9 }
    expect(
      undoOf([
        { before, case: made },
        { before: null, case: made },
        { before, case: null },
      ]),
    ).toEqual([
      { revision: 9, put_back: 7, split: 'working', position: 2 },
      { revision: 9, out: true },
      { put_back: 7, split: 'working', position: 2 },
    ])
  })
})
