import { describe, expect, it } from 'vitest'
import { linesAsCases } from './firstCases'

describe('the first cases', () => {
  it('takes a line as a case, and a cell more than inputs as what is wanted', () => {
    const text = 'the boat is late\tdelay\r\n\nwhere is my hat\n'
    expect(linesAsCases(text, ['message'])).toEqual([
      { values: { message: 'the boat is late' }, reference: 'delay' },
      { values: { message: 'where is my hat' } },
    ])
    expect(linesAsCases('a\tb\tc', ['x', 'y'])).toEqual([
      { values: { x: 'a', y: 'b' }, reference: 'c' },
    ])
    expect(linesAsCases('a, with a comma', ['x', 'y'])).toEqual([
      { values: { x: 'a, with a comma', y: '' } },
    ])
  })
})
