import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { forgetTyped, keepTyped, typedAt } from './typed'

beforeEach(() => {
  const held: Record<string, string> = {}
  Object.defineProperties(held, {
    getItem: { value: (k: string) => held[k] ?? null },
    setItem: { value: (k: string, v: string) => void (held[k] = v) },
    removeItem: { value: (k: string) => void delete held[k] },
  })
  vi.stubGlobal('window', { sessionStorage: held })
})
afterEach(() => vi.unstubAllGlobals())

test('what is typed is kept, and what is as it was is not', () => {
  keepTyped('note 3', 'half a sen', '')
  expect(typedAt('note 3')).toBe('half a sen')
  keepTyped('note 3', '', '')
  expect(typedAt('note 3')).toBeUndefined()
})

test('a saved form forgets all of its places and no other', () => {
  keepTyped('brief 3 name', 'a', '')
  keepTyped('brief 3 job', { long: ['b'] }, null)
  keepTyped('brief 30 name', 'c', '')
  forgetTyped('brief 3')
  expect(typedAt('brief 3 name')).toBeUndefined()
  expect(typedAt('brief 3 job')).toBeUndefined()
  expect(typedAt('brief 30 name')).toBe('c')
})
