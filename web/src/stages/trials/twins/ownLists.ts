type OwnLists = {
  lists: { name: string; values: string[] }[]
  synonyms: string[][]
  /** Lines that are neither. */
  unread: string[]
}

/** Lines of `name: value, value` (facts of one kind) and of `word = word` (that mean the same). */
export function ownLists(text: string): OwnLists {
  const found: OwnLists = { lists: [], synonyms: [], unread: [] }
  for (const line of text.split('\n').filter((l) => l.trim() !== '')) {
    const [, name, values] = /^([^:=]+):(.*)$/.exec(line) ?? []
    if (name !== undefined && values !== undefined)
      found.lists.push({ name: name.trim(), values: parted(values, ',') })
    else if (line.includes('=') && parted(line, '=').length > 1)
      found.synonyms.push(parted(line, '='))
    else found.unread.push(line.trim())
  }
  return found
}

function parted(text: string, by: string): string[] {
  return text
    .split(by)
    .map((v) => v.trim())
    .filter(Boolean)
}
