/** How an answer ended, in a person's words; a server's own word where it is neither of the usual two. */
export function endedInWords(finish: string | null | undefined): string {
  if (!finish) return ''
  if (finish === 'stop' || finish === 'end_turn' || finish === 'eos_token') return 'complete'
  if (finish === 'length' || finish === 'max_tokens') return 'cut at the limit'
  return `ended: ${finish}`
}
