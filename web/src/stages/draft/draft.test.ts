// @vitest-environment node
import { describe, expect, it } from 'vitest'
import type { Schemas } from '@/api/client'
import { middleOut } from '@/parts/WordChanges'
import { runsOf } from './notes'

import { changeBetween } from './PromptText'
import { addStep, copyOf, newMessage, renameStep, sameText, stepsOf } from './workingCopy'

describe('an editor that is given another text', () => {
  it('changes the one stretch that differs', () => {
    expect(changeBetween('Sort it well.', 'Sort it very well.')).toEqual({
      from: 8,
      to: 8,
      insert: 'very ',
    })
    expect(changeBetween('aaa', 'aa')).toEqual({ from: 2, to: 3, insert: '' })
    expect(changeBetween('x', 'x')).toEqual({ from: 1, to: 1, insert: '' })
  })
})

describe('what stays the same', () => {
  it('is shortened in its middle', () => {
    expect(middleOut(Array.from({ length: 30 }, (_, i) => `w${i}`).join(' '))).toBe(
      'w0 w1 w2 w3 … w26 w27 w28 w29',
    )
  })
})

describe('steps', () => {
  const one = [newMessage('system', 'Plan.'), newMessage('user', 'On {{topic}}.')]
  it('turn a version of one call into the first of two, the system message standing in both', () => {
    expect(addStep(one).map((m) => [m.role, m.step])).toEqual([
      ['system', null],
      ['user', 'first'],
      ['user', 'second'],
    ])
    expect(addStep(addStep(one)).at(-1)?.content).toBe('{{steps.second}}')
  })
  it('are renamed where they are read, too', () => {
    const renamed = renameStep(addStep(one), 'first', 'outline')
    expect(stepsOf(renamed)).toEqual(['outline', 'second'])
    expect(renamed.at(-1)?.content).toBe('{{steps.outline}}')
  })
})

describe('notes on added clauses', () => {
  const add = (number: number, message = 0): Schemas['AmendmentShape'] => ({
    id: `add-${number}`,
    kind: 'add',
    requires: [],
    detail: '',
    words: [],
    before: null,
    after: { number, message, kind: 'sentence', start: 0, end: 1, text: 'x' },
  })
  it('are one where the clauses follow each other in one message', () => {
    expect(runsOf([add(3), add(4), add(6), add(7, 1)]).map((r) => r.length)).toEqual([2, 1, 1])
  })
})

describe('the working copy', () => {
  it('knows an unchanged text, whatever the order of its settings', () => {
    const base = {
      messages: [newMessage('user', 'x')],
      settings: { temperature: 0, top_p: 1 },
      secondParent: null,
    }
    const same = {
      messages: [newMessage('user', 'x')],
      settings: { top_p: 1, temperature: 0, seed: undefined },
      secondParent: null,
    }
    expect(sameText(base, same)).toBe(true)
    expect(sameText(base, { ...base, messages: [newMessage('user', 'x ')] })).toBe(false)
    expect(sameText(base, { ...base, messages: [newMessage('system', 'x')] })).toBe(false)
  })
  it('begins with two empty messages where there is no version', () => {
    expect(copyOf(undefined).messages.map((m) => m.role)).toEqual(['system', 'user'])
  })
})
