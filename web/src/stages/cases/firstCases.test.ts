import { describe, expect, it } from 'vitest'
import { linesAsCases, namesIn } from './firstCases'

describe('the first cases', () => {
  it('knows the inputs that a prompt names', () => {
    const messages = [
      { content: 'Use {{ tone }}. {{#extra}}{{note}}{{/extra}} {{steps.first}}' },
      { content: '{{{mail.text}}} and {{tone}}' },
    ]
    expect(namesIn(messages)).toEqual(['tone', 'note', 'mail'])
  })

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
