import { expect, test } from 'vitest'
import { linkOf } from './links'

const line = (subject: string, about: Record<string, unknown> = {}, what = '') => ({
  what,
  brief: 3,
  subject,
  subject_id: 8,
  about,
  facts: {},
})

test('every entry leads to its thing', () => {
  expect(linkOf(line('version', { version: 4 }))).toBe('/briefs/3/draft?v=4')
  expect(linkOf(line('trial'))).toBe('/briefs/3/trials/8')
  expect(linkOf(line('mark', { trial: 5, output: 77 }))).toBe('/briefs/3/trials/5?output=77')
  expect(linkOf(line('verdict', { trial: 5 }))).toBe('/briefs/3/verdict?trial=5')
  expect(linkOf(line('weighing', { version: 6 }))).toBe('/briefs/3/draft?v=6&view=Weights')
  expect(linkOf({ ...line('model'), brief: null })).toBe('/models')
  expect(linkOf({ ...line('preset'), brief: null })).toBeNull()
})
