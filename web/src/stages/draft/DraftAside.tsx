import { Note } from '@/parts/Margin'
import type { View } from './view'

const SAID: Record<Exclude<View, 'Clauses' | 'Weights'>, [string, string]> = {
  'As sent': [
    'As sent',
    'Literally what a model gets: every blank, asterisk and line break. Every call starts from a clean context.',
  ],
  Try: [
    'One case is no proof',
    'It shows what comes back, and whether the form is right. Which text is better, and how sure that is, only a trial over many cases tells.',
  ],
  Pinned: [
    'A few cases at hand',
    'Up to twelve cases to see at once what a change does, changed answers first. They are no measure: what reads well on twelve may be luck.',
  ],
  Sweep: [
    'One placeholder, many values',
    'The same text with each value in turn: tones, audiences, languages. The other placeholders come from the case.',
  ],
  Beside: [
    'Two versions',
    'What leads from the version in hand to the other one. Struck words go, the others come. Ticked amendments can be brought in.',
  ],
}

/** What each way of looking at the text is good for, and what it is not. */
export function DraftAside({ view }: { view: Exclude<View, 'Clauses' | 'Weights'> }) {
  const [title, text] = SAID[view]
  return <Note title={title}>{text}</Note>
}
