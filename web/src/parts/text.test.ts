import { describe, expect, it } from 'vitest'
import { asText } from './text'

describe('asText', () => {
  it('shows lists and objects as JSON, never as what the language makes of them', () => {
    expect(asText(['a', { b: 1 }])).toBe('["a",{"b":1}]')
    expect([asText(null), asText(undefined), asText('x'), asText(0), asText(false)]).toEqual([
      '',
      '',
      'x',
      '0',
      'false',
    ])
  })
})
