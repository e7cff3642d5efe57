import { expect, test } from 'vitest'
import { expanded } from './planned'

test('lists of values make a row of settings for each, all with all', () => {
  expect(expanded([{ temperature: '0, 0.3, 0.7', max_tokens: 90 }])).toEqual({
    settings: [
      { temperature: 0, max_tokens: 90 },
      { temperature: 0.3, max_tokens: 90 },
      { temperature: 0.7, max_tokens: 90 },
    ],
    row: [0, 0, 0],
  })
  const both = expanded([{}, { temperature: '0,1', top_p: '0.5;1' }])
  expect(both.settings).toEqual([
    {},
    { temperature: 0, top_p: 0.5 },
    { temperature: 0, top_p: 1 },
    { temperature: 1, top_p: 0.5 },
    { temperature: 1, top_p: 1 },
  ])
  expect(both.row).toEqual([0, 1, 1, 1, 1])
})

test('what is no list of numbers stays as it was typed, to be refused where it stands', () => {
  expect(expanded([{ temperature: 'warm, 1' }]).settings).toEqual([{ temperature: 'warm, 1' }])
  expect(expanded([{ stop: ['a, b'], response_schema: '1, 2' }]).settings).toEqual([
    { stop: ['a, b'], response_schema: '1, 2' },
  ])
  expect(expanded([{ temperature: '0.3,' }]).settings).toEqual([{ temperature: '0.3,' }])
})
