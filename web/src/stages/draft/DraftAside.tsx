import { Note } from '@/parts/Margin'
import type { View } from './view'

const SAID: Record<Exclude<View, 'Text' | 'Weights'>, [string, string]> = {
  'As sent': [
    'Exactly as sent',
    'Literally what a model gets: every blank, asterisk and line break. Every call starts from a clean context.',
  ],
  Versions: [
    'Two versions',
    'What leads from the version in hand to the other one. Struck words go, the others come. Ticked amendments can be brought in.',
  ],
}

/** What each way of looking at the text is good for, and what it is not. */
export function DraftAside({ view }: { view: Exclude<View, 'Text' | 'Weights'> }) {
  const [title, text] = SAID[view]
  return <Note title={title}>{text}</Note>
}
