import { asText } from '@/parts/text'
import type { Settings } from './workingCopy'

const SHORT = [
  ['temperature', 'T'],
  ['top_p', 'top-p'],
  ['top_k', 'top-k'],
  ['max_tokens', 'at most'],
] as const

/** What goes out with a text, in the few words that a sentence has room for: T 0, at most 160, 1 more. */
export function settingsInShort(settings: Settings): string {
  const set = Object.keys(settings)
  const said = SHORT.filter(([k]) => set.includes(k))
  const rest = set.length - said.length
  return (
    [
      ...said.map(([k, word]) => `${word} ${asText(settings[k])}`),
      ...(rest > 0 ? [`${rest}${said.length > 0 ? ' more' : ' set'}`] : []),
    ].join(', ') || 'the model’s own settings'
  )
}
