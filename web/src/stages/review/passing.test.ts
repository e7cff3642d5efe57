import { describe, expect, it } from 'vitest'
import { passOver } from './passing'

const row = (output: number, same: number, inherits: number | null = null) => ({
  output,
  same,
  inherits,
})

describe('passing over what was read before', () => {
  it('stops at the first answer that nobody has read', () => {
    const queue = [row(1, 0), row(2, 0), row(3, 1, 99), row(4, 2), row(5, 0)]
    expect(passOver(queue, { 1: 'bad' }, 1)).toEqual({
      to: 3,
      taken: [
        { output: 2, source: 1, judgement: 'bad' },
        { output: 3, source: 99, judgement: undefined },
      ],
    })
  })
  it('stops at an answer that is marked already', () => {
    expect(passOver([row(1, 0), row(2, 1)], { 2: 'good' }, 1)).toEqual({ to: 1, taken: [] })
  })
  it('passes over the last one too and stays within the queue', () => {
    const found = passOver([row(1, 0), row(2, 0)], { 1: 'good' }, 1)
    expect(found.to).toBe(1)
    expect(found.taken).toHaveLength(1)
    expect(passOver([], {}, 0).to).toBe(0)
  })
})
