import type { Schemas } from '@/api/client'

/** What went and what came, word by word; long stretches that stay are cut in their middle unless `whole`. */
export function WordChanges({
  words,
  whole,
}: {
  words: Schemas['WordChangeShape'][]
  whole?: boolean
}) {
  return (
    <>
      {words.map((part, i) =>
        part.kind === 'same' ? (
          <span key={i}>{whole ? part.text : middleOut(part.text)}</span>
        ) : part.kind === 'gone' ? (
          <s key={i} className="text-harm">
            {seen(part.text)}
          </s>
        ) : (
          <ins key={i} className="font-semibold text-action no-underline">
            {seen(part.text)}
          </ins>
        ),
      )}
    </>
  )
}

/** Blanks alone that went or came are shown by signs. */
function seen(text: string): string {
  return text.trim() === '' ? text.replaceAll('\n', '⏎').replaceAll(' ', '␣') : text
}

export function middleOut(text: string): string {
  const words = text.split(' ')
  return words.length > 12 ? [...words.slice(0, 4), '…', ...words.slice(-4)].join(' ') : text
}
