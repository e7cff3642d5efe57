// So many places are counted; more are as good as everywhere.
const MOST = 10_000

/** Where words stand in a text, whatever the case; offsets in UTF-16 units, as a field counts. */
export function placesOf(text: string, words: string): number[] {
  const sought = words.trim().toLowerCase()
  if (!sought) return []
  // Some letters change their length in lower case: then only the text as it is can be searched.
  const lower = text.toLowerCase()
  const hay = lower.length === text.length ? lower : text
  const found: number[] = []
  let at = hay.indexOf(hay === lower ? sought : words.trim())
  while (at >= 0 && found.length < MOST) {
    found.push(at)
    at = hay.indexOf(hay === lower ? sought : words.trim(), at + sought.length)
  }
  return found
}
