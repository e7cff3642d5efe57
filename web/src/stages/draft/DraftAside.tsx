import { Note } from '@/parts/Margin'
import type { View } from './view'

const SAID: Record<Exclude<View, 'Text' | 'Weights'>, [string, string]> = {
  'As sent': [
    'Exactly as sent',
    'Literally what a model gets: every blank, asterisk and line break. Every call starts from a clean context.',
  ],
  Versions: [
    'Versions side by side',
    'Each is held against the version in hand, the first column: struck words are its own, the others come in their place. Of one other version some can be brought in.',
  ],
}

/** What each way of looking at the text is good for, and what it is not. */
export function DraftAside({ view }: { view: Exclude<View, 'Text' | 'Weights'> }) {
  const [title, text] = SAID[view]
  return <Note title={title}>{text}</Note>
}
