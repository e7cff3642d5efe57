/** The unsaved text of a version as plain data, and comparing two of them. */
import type { Schemas } from '@/api/client'
import type { Settings } from '../settings/SettingsRow'

export type DraftMessage = { id: string; role: string; content: string; step: string | null }
export type { Settings }
export type WorkingCopy = {
  messages: DraftMessage[]
  settings: Settings
  secondParent: number | null
  /** What it was last changed for, where that is known: a question answered, a wish taken. */
  reason?: string
}
type Row = { role: string; content: string; step?: string | null | undefined }

let made = 0
export function newMessage(role: string, content = '', step: string | null = null): DraftMessage {
  made += 1
  return { id: `new${made}-${Date.now()}`, role, content, step }
}

/** Messages from the server. An id says which editor shows it: the same place keeps the same one. */
export function fromRows(rows: Row[], former: DraftMessage[] = []): DraftMessage[] {
  const reuse = former.length === rows.length
  return rows.map((m, i) => ({
    id: (reuse ? former[i]?.id : undefined) ?? `m${i}`,
    role: m.role,
    content: m.content,
    step: m.step ?? null,
  }))
}

export function toRows(copy: {
  messages: DraftMessage[]
}): { role: string; content: string; step: string | null }[] {
  return copy.messages.map((m) => ({ role: m.role, content: m.content, step: m.step }))
}

export function copyOf(version: Schemas['VersionDetail'] | undefined): WorkingCopy {
  if (!version) {
    return {
      messages: fromRows([
        { role: 'system', content: '' },
        { role: 'user', content: '' },
      ]),
      settings: { temperature: 0 },
      secondParent: null,
    }
  }
  return {
    messages: fromRows(version.messages),
    settings: { ...version.settings },
    secondParent: null,
  }
}

export function sameText(a: WorkingCopy, b: WorkingCopy): boolean {
  const plain = (c: WorkingCopy) =>
    JSON.stringify([
      c.messages.map((m) => [m.role, m.content, m.step]),
      sorted(c.settings),
      c.secondParent,
    ])
  return plain(a) === plain(b)
}

function sorted(settings: Settings): [string, unknown][] {
  return Object.entries(settings)
    .filter(([, v]) => v !== null && v !== undefined && v !== '')
    .sort(([a], [b]) => a.localeCompare(b))
}

/** Names of the steps in the order in which they run; empty for a version of one call. */
export function stepsOf(messages: DraftMessage[]): string[] {
  return [...new Set(messages.flatMap((m) => (m.step === null ? [] : [m.step])))]
}

/** The messages with a step's name changed, and every text that reads its output. */
export function renameStep(messages: DraftMessage[], from: string, to: string): DraftMessage[] {
  const reads = new RegExp(
    `\\{\\{\\s*steps\\.${from.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}\\s*\\}\\}`,
    'g',
  )
  return messages.map((m) => ({
    ...m,
    step: m.step === from ? to : m.step,
    content: m.content.replace(reads, `{{steps.${to}}}`),
  }))
}

const NAMES = ['first', 'second', 'third', 'fourth', 'fifth', 'sixth', 'seventh', 'eighth', 'ninth']

/** A further step that reads the last one; a version of one call becomes the first of two. */
export function addStep(messages: DraftMessage[]): DraftMessage[] {
  const steps = stepsOf(messages)
  const named = steps.length
    ? messages
    : messages.map((m) => (m.role === 'system' ? m : { ...m, step: 'first' }))
  const before = steps.at(-1) ?? 'first'
  const name =
    NAMES.find((n, i) => i >= steps.length && !steps.includes(n) && n !== before) ??
    `step ${steps.length + 1}`
  return [...named, newMessage('user', `{{steps.${before}}}`, name)]
}
