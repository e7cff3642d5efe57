import { KEYS, type Key, type KeyName } from '@/keys/registry'

/** What the palette offers: somewhere to go, or something to do. */
export type Entry = { label: string; hint: string; key?: KeyName } & (
  { to: string } | { act: KeyName }
)

/** Commands: at once where their screen is open, else the screen is opened and told to do them. */
export function commands(
  open: ReadonlySet<KeyName>,
  brief: number | null,
  kept: URLSearchParams,
): Entry[] {
  return (Object.entries(KEYS) as [KeyName, Key][]).flatMap(([name, key]): Entry[] => {
    if (!key.command) return []
    const shown = { label: key.command, hint: 'do', key: name }
    if (open.has(name)) return [{ ...shown, act: name }]
    if (!key.at) return []
    const inBrief = key.at.includes('{brief}')
    if (inBrief && brief === null) return []
    const search = new URLSearchParams(inBrief ? carried(kept) : '')
    search.set('do', name)
    return [{ ...shown, to: `${key.at.replace('{brief}', String(brief))}?${search}` }]
  })
}

/** The version in hand goes along. */
function carried(kept: URLSearchParams): URLSearchParams {
  const out = new URLSearchParams()
  for (const name of ['v', 'beside']) {
    const value = kept.get(name)
    if (value) out.set(name, value)
  }
  return out
}

/** Every word typed stands somewhere in the text. */
export function matches(text: string, words: string): boolean {
  const low = text.toLowerCase()
  return words
    .toLowerCase()
    .split(/\s+/)
    .every((w) => low.includes(w))
}
