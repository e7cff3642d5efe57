import { expect, test } from 'vitest'
import { csvIn } from './csv'

test('the first table of an answer as CSV, no cell a formula', () => {
  const text =
    'Here it is:\n\n| name | says | n |\n|:--|---|--:|\n| Ann | "no", she said | -3 |\n| =SUM(A1) | a \\| b | 2 |\n\nDone.'
  expect(csvIn(text)).toBe('name,says,n\r\nAnn,"""no"", she said",-3\r\n\'=SUM(A1),a | b,2')
  expect(csvIn('a | b\nno table')).toBeNull()
  expect(csvIn('name | n\n--- | ---\nBo | 1')).toBe('name,n\r\nBo,1')
})
