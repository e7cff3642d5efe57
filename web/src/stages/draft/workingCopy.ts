/** The unsaved text of a version, kept in this browser until it is saved or dropped. */
import type { Schemas } from '@/api/client'

export type DraftMessage = { id: string; role: string; content: string; step: string | null }
export type Settings = Record<string, unknown>
export type WorkingCopy = { messages: DraftMessage[]; settings: Settings }

let made = 0
export function newMessage(role: string, content = '', step: string | null = null): DraftMessage {
  made += 1
  return { id: `m${made}-${Date.now()}`, role, content, step }
}

export function copyOf(version: Schemas['VersionDetail'] | undefined): WorkingCopy {
  if (!version) {
    return { messages: [newMessage('system'), newMessage('user')], settings: { temperature: 0 } }
  }
  return {
    messages: version.messages.map((m) => newMessage(m.role, m.content, m.step ?? null)),
    settings: { ...version.settings },
  }
}

export function sameText(a: WorkingCopy, b: WorkingCopy): boolean {
  const plain = (c: WorkingCopy) =>
    JSON.stringify([c.messages.map((m) => [m.role, m.content, m.step]), sorted(c.settings)])
  return plain(a) === plain(b)
}

function sorted(settings: Settings): [string, unknown][] {
  return Object.entries(settings)
    .filter(([, v]) => v !== null && v !== undefined && v !== '')
    .sort(([a], [b]) => a.localeCompare(b))
}

const name = (brief: number, version: number | null) => `nomikon-draft-${brief}-${version ?? 'new'}`

export function loadCopy(brief: number, version: number | null): WorkingCopy | null {
  const text = window.localStorage.getItem(name(brief, version))
  if (text === null) return null
  try {
    const kept = JSON.parse(text) as WorkingCopy
    return {
      messages: kept.messages.map((m) => newMessage(m.role, m.content, m.step)),
      settings: kept.settings,
    }
  } catch {
    // A copy that cannot be read is of no use to anyone; the saved version is untouched.
    window.localStorage.removeItem(name(brief, version))
    return null
  }
}

export function keepCopy(brief: number, version: number | null, copy: WorkingCopy | null): void {
  if (copy === null) window.localStorage.removeItem(name(brief, version))
  else window.localStorage.setItem(name(brief, version), JSON.stringify(copy))
}
