import { describe, expect, test } from 'vitest'
import { draftOf, type Measure, ParameterError, rowOf } from './card'

const MEASURE: Measure = {
  name: 'regex',
  family: 'match',
  description: '',
  needs_reference: false,
  judged: false,
  parameters: { pattern: '', whole: '', values: '', max: '', schema: '' },
  sorts: {
    pattern: { sort: 'text', options: [] },
    whole: { sort: 'flag', options: [] },
    values: { sort: 'texts', options: [] },
    max: { sort: 'whole', options: [] },
    schema: { sort: 'json', options: [] },
  },
  example: { parameters: {}, output: '', reference: null, score: null },
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
  test('a value of the wrong sort names its parameter', () => {
    const draft = draftOf({ measure: 'regex' }, MEASURE)
    for (const raw of [{ max: '2.5' }, { max: 'two' }, { schema: '{' }]) {
      expect(() => rowOf({ ...draft, raw: { ...draft.raw, ...raw } }, MEASURE)).toThrow(
        ParameterError,
      )
    }
  })
})
