/** Parts of an answer that can be fed on: the whole, words that were chosen, the items of a list. */

const ITEM = /^\s*(?:[-*•–]|\(?\d{1,3}[.)]|[a-z][.)])\s+(.+)$/i

/** The items of the answer's list, without their marks; a line that is indented below one belongs to it. */
export function itemsIn(text: string): string[] {
  const items: string[] = []
  let open = false
  for (const line of text.split(/\r?\n/)) {
    const found = ITEM.exec(line)
    if (found?.[1]) {
      items.push(found[1].trim())
      open = true
    } else if (open && /^\s+\S/.test(line)) items[items.length - 1] += `\n${line.trim()}`
    else if (line.trim() !== '') open = false
  }
  return items.length > 1 ? items : []
}
