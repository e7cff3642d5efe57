import { expect, test } from 'vitest'
import { changedPart } from './changedPart'

test('the keys that differ, or the beginnings of two texts', () => {
  expect(changedPart('{"kind": "delay", "n": 1}', '{"n": 1, "kind": "other"}')).toEqual([
    'kind: "delay"',
    '"other"',
  ])
  expect(changedPart('{"a": 1}', '{"b": 2}')).toEqual(['a, b: 1, not given', 'not given, 2'])
  expect(changedPart('Kind:\n delay', '{"kind": "delay"}')).toEqual([
    'Kind: delay',
    '{"kind": "delay"}',
  ])
  expect(changedPart('', 'x')).toEqual(['(empty)', 'x'])
})
