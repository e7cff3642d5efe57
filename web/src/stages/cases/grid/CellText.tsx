import { SPLIT, type Column } from './model'

/** What a cell says, in the look of its kind. */
export function CellText({ column, text, hint }: { column: Column; text: string; hint: string }) {
  if (column.key === SPLIT) {
    return text === 'held-out' ? (
      <span className="rounded-sm border border-attention px-1 text-2xs whitespace-nowrap text-attention-text">
        held out
      </span>
    ) : (
      <span className="text-xs text-soft">{text}</span>
    )
  }
  const look = {
    number: 'text-right font-mono text-xs',
    json: 'font-mono text-2xs',
    reference: 'font-mono text-2xs text-soft',
    conversation: 'text-xs',
    tags: 'text-xs text-soft',
    source: 'text-xs text-soft',
    label: '',
    text: '',
    'long-text': '',
    split: '',
  }[column.kind]
  if (!text && hint) return <span className="text-xs text-soft italic">{hint}</span>
  return (
    <span className={`line-clamp-2 break-words whitespace-pre-wrap ${look}`} dir="auto">
      {column.kind === 'conversation' ? spoken(text) : text}
    </span>
  )
}

/** A conversation in few words: its first turn and how many follow, or who is played. */
function spoken(text: string): string {
  if (!text) return ''
  const told = JSON.parse(text) as string[] | { user: string; most: number }
  return Array.isArray(told)
    ? `${told[0] ?? ''}${told.length > 1 ? ` (+${told.length - 1})` : ''}`
    : `played, at most ${told.most}: ${told.user}`
}
