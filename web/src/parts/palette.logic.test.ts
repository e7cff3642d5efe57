import { describe, expect, it } from 'vitest'
import { commands, matches } from './palette.logic'

const none = new URLSearchParams()
const find = (rows: ReturnType<typeof commands>, label: string) =>
  rows.find((r) => r.label.startsWith(label))

describe('the palette', () => {
  it('does at once what an open screen can do', () => {
    const row = find(commands(new Set(['cases.import'] as const), 7, none), 'Import cases')
    expect(row).toMatchObject({ act: 'cases.import' })
  })

  it('opens the screen that can do it, with the version in hand', () => {
    const row = find(commands(new Set(), 7, new URLSearchParams('v=3&view=Try')), 'Save as')
    expect(row).toMatchObject({ to: '/briefs/7/draft?v=3&do=draft.save' })
  })

  it('offers nothing of a brief where there is none', () => {
    const rows = commands(new Set(), null, none)
    expect(find(rows, 'Import cases')).toBeUndefined()
    expect(find(rows, 'Add a connection')).toMatchObject({ to: '/models?do=models.add' })
  })

  it('finds by all words in any order', () => {
    expect(matches('Import cases do', 'cases imp')).toBe(true)
    expect(matches('Import cases do', 'cases exp')).toBe(false)
  })
})
