import { describe, expect, test } from 'vitest'
import { draftOf, hintOf, type Measure, newRow, ParameterError, rowOf } from './card'

const MEASURE: Measure = {
  name: 'regex',
  family: 'match',
  description: '',
  needs_reference: false,
  judged: false,
  parameters: { pattern: '', whole: '', values: '', max: '', schema: '', again: '' },
  sorts: {
    pattern: { sort: 'text', options: [], default: false },
    whole: { sort: 'flag', options: [], default: false },
    values: { sort: 'texts', options: [], default: false },
    max: { sort: 'whole', options: [], default: false },
    schema: { sort: 'json', options: [], default: false },
    again: { sort: 'flag', options: [], default: true },
  },
  example: {
    parameters: { pattern: '\\d{4}', values: ['a', 'b'] },
    output: '',
    reference: null,
    score: null,
  },
}

describe('a row of a scorecard', () => {
  test('comes through its form as it was', () => {
    const row = {
      measure: 'regex',
      name: 'time',
      weight: 2,
      gate: true,
      turn: 2,
      pattern: '\\d',
      whole: true,
      values: ['a', 'b c'],
      max: 3,
      schema: { a: [1] },
    }
    expect(rowOf(draftOf(row, MEASURE), MEASURE)).toEqual(row)
  })
  test('what is left empty is left out, and what nobody knows is kept', () => {
    expect(rowOf(draftOf({ measure: 'regex', odd: { x: 1 } }, MEASURE), MEASURE)).toEqual({
      measure: 'regex',
      weight: 1,
      odd: { x: 1 },
    })
  })
  test('a measure that is chosen takes nothing over from its example, which is a hint', () => {
    expect(rowOf(newRow(MEASURE), MEASURE)).toEqual({ measure: 'regex', weight: 1 })
    expect(hintOf(MEASURE, 'pattern')).toBe('\\d{4}')
    expect(hintOf(MEASURE, 'values')).toBe('a\nb')
    expect(hintOf(MEASURE, 'max')).toBe('')
  })
  test('a flag that is on unless it is said otherwise can be put off', () => {
    const draft = newRow(MEASURE)
    expect(draft.raw.again).toBe(true)
    const off = { ...draft, raw: { ...draft.raw, again: false } }
    expect(rowOf(off, MEASURE).again).toBe(false)
    expect(draftOf({ measure: 'regex', again: false }, MEASURE).raw.again).toBe(false)
  })
  test('a value of the wrong sort names its parameter', () => {
    const draft = draftOf({ measure: 'regex' }, MEASURE)
    for (const raw of [{ max: '2.5' }, { max: 'two' }, { schema: '{' }]) {
      expect(() => rowOf({ ...draft, raw: { ...draft.raw, ...raw } }, MEASURE)).toThrow(
        ParameterError,
      )
    }
  })
})
