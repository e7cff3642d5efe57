// @vitest-environment node
import { describe, expect, it } from 'vitest'
import { runsOf, wordDiff } from './notes'
import { copyOf, newMessage, sameText } from './workingCopy'

describe('words changed inside a clause', () => {
  it('names what went and what came', () => {
    const parts = wordDiff('a sailing is late.', 'a sailing is late or cancelled.')
    expect(parts.map((p) => [p.kind, p.text.trim()])).toEqual([
      ['same', 'a sailing is'], ['gone', 'late.'], ['new', 'late or cancelled.'],
    ])
  })
  it('shortens what stays', () => {
    const long = Array.from({ length: 30 }, (_, i) => `w${i}`).join(' ')
    expect(wordDiff(long, `${long} end`)[0]?.text).toContain('…')
  })
})

describe('notes on added clauses', () => {
  const add = (number: number, message = 0) =>
    ({ kind: 'add', before: null, after: { number, message, kind: 'sentence', start: 0, end: 1, text: 'x' } }) as const
  it('are one where the clauses follow each other in one message', () => {
    expect(runsOf([add(3), add(4), add(6), add(7, 1)]).map((r) => r.length)).toEqual([2, 1, 1])
  })
})

describe('the working copy', () => {
  it('knows an unchanged text, whatever the order of its settings', () => {
    const base = { messages: [newMessage('user', 'x')], settings: { temperature: 0, top_p: 1 } }
    const same = { messages: [newMessage('user', 'x')], settings: { top_p: 1, temperature: 0, seed: undefined } }
    expect(sameText(base, same)).toBe(true)
    expect(sameText(base, { ...base, messages: [newMessage('user', 'x ')] })).toBe(false)
    expect(sameText(base, { ...base, messages: [newMessage('system', 'x')] })).toBe(false)
  })
  it('begins with two empty messages where there is no version', () => {
    expect(copyOf(undefined).messages.map((m) => m.role)).toEqual(['system', 'user'])
  })
})
