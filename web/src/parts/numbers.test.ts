import { describe, expect, it } from 'vitest'
import { utf16Offsets } from './codepoints'
import { duration, money, plural, pValue, rampStep, score, seconds, signed } from './numbers'

describe('figures as text', () => {
  it('says – where there is no figure', () => {
    expect([score(null), signed(undefined), money(null), seconds(null), pValue(null)]).toEqual([
      '–',
      '–',
      '–',
      '–',
      '–',
    ])
  })
  it('signs differences and shows a rounded zero as such', () => {
    expect([signed(0.0523), signed(-0.2, 2), signed(-0.0001, 2)]).toEqual([
      '+0.052',
      '−0.20',
      '±0.00',
    ])
  })
  it('gives money the digits it can bear', () => {
    expect([money(3_420_000_000), money(123_000_000), money(20_000), money(0)]).toEqual([
      '€ 3.42',
      '€ 0.123',
      '€ 0.00002',
      '€ 0.00',
    ])
  })
  it('counts in words', () => {
    expect([plural(1, 'case'), plural(1440, 'call')]).toEqual(['1 case', '1,440 calls'])
  })
  it('rounds time left', () => {
    expect([duration(0.2), duration(70), duration(120), duration(7200)]).toEqual([
      '1 s',
      '1 min 10 s',
      '2 min',
      '2 h',
    ])
  })
  it('keeps every score on the ramp', () => {
    expect([rampStep(-1), rampStep(0), rampStep(0.5), rampStep(1), rampStep(2)]).toEqual([
      0, 0, 4, 7, 7,
    ])
  })
  it('never rounds a small p to zero', () => {
    expect([pValue(0.0004), pValue(0.0312)]).toEqual(['<0.001', '0.031'])
  })
})

describe('offsets', () => {
  it('turns code points into UTF-16 units', () => {
    const at = utf16Offsets('a😀b')
    expect([at(0), at(1), at(2), at(3), at(99)]).toEqual([0, 1, 3, 4, 4])
    expect(utf16Offsets('plain')(3)).toBe(3)
  })
})
