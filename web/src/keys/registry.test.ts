import { describe, expect, it } from 'vitest'
import { isKey, KEYS, sheet, type KeyName } from './registry'

const press = (key: string, more: Partial<Parameters<typeof isKey>[0]> = {}) => ({
  key,
  ctrlKey: false,
  metaKey: false,
  altKey: false,
  shiftKey: false,
  ...more,
})

describe('keys', () => {
  it('tells a letter from the same letter with a command', () => {
    expect(isKey(press('z'), 'review.undo')).toBe(true)
    expect(isKey(press('Z', { shiftKey: true }), 'review.undo')).toBe(true)
    expect(isKey(press('z', { ctrlKey: true }), 'review.undo')).toBe(false)
    expect(isKey(press('z', { metaKey: true }), 'draft.undo')).toBe(true)
    expect(isKey(press('z', { ctrlKey: true, shiftKey: true }), 'draft.undo')).toBe(false)
    expect(isKey(press('z', { ctrlKey: true, shiftKey: true }), 'draft.redo')).toBe(true)
    expect(isKey(press('y', { ctrlKey: true }), 'draft.redo')).toBe(true)
  })

  it('knows arrows, digits and signs that need Shift', () => {
    expect(isKey(press('ArrowLeft'), 'pairs.left')).toBe(true)
    expect(isKey(press('7'), 'review.kind')).toBe(true)
    expect(isKey(press('0'), 'review.kind')).toBe(false)
    expect(isKey(press('?', { shiftKey: true }), 'keys')).toBe(true)
    expect(isKey(press('Delete'), 'cases.empty')).toBe(true)
  })

  it('gives one key one meaning on a screen', () => {
    for (const part of sheet()) {
      const chords = part.rows.flatMap(([, k]) => [...k.chords])
      expect(new Set(chords).size, part.where).toBe(chords.length)
    }
  })

  it('shows every key that a person can press on the sheet', () => {
    const shown = new Set(sheet().flatMap((part) => part.rows.map(([name]) => name)))
    const pressed = (Object.keys(KEYS) as KeyName[]).filter((k) => KEYS[k].chords.length > 0)
    expect(pressed.filter((k) => !shown.has(k))).toEqual([])
  })
})
