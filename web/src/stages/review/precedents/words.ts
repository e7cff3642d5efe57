export type Kind = 'must-say' | 'must-not-say' | 'equals' | 'question'

export const KINDS: Record<Kind, string> = {
  'must-say': 'must say',
  'must-not-say': 'must not say',
  equals: 'must be',
  question: 'a judge must say yes to',
}
