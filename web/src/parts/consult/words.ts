import type { Schemas } from '@/api/client'

// More refusals than these are counted, not told.
const TOLD = 4

/** The first refused items of a reply with their reasons. */
export function firstLines(refused: Schemas['UnreadShape'][]): string {
  const told = refused
    .slice(0, TOLD)
    .map((r) => `${r.place > 0 ? `no. ${r.place}: ` : ''}${r.reason}`)
  const more = refused.length - TOLD
  return told.join('; ') + (more > 0 ? `; and ${more} more` : '')
}
