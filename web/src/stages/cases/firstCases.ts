/** Pasted lines as the first cases of a brief. */

export type FirstCase = { values: Record<string, string>; reference?: string }

// A placeholder that a case fills: no section's mark, and no answer of an earlier step.
const HOLE = /\{\{\{?\s*([^{}#/^&!>=\s][^{}]*?)\s*\}?\}\}/g

/** The inputs that a prompt names, in the order of their first mention. */
export function namesIn(messages: { content: string }[]): string[] {
  const found = new Set<string>()
  for (const m of messages)
    for (const hole of m.content.matchAll(HOLE)) {
      const name = hole[1]?.split('.')[0]?.trim()
      if (name && name !== 'steps') found.add(name)
    }
  return [...found]
}

/** One case a line; cells are parted by tabs as a sheet copies them, one more than inputs is what is wanted. */
export function linesAsCases(text: string, columns: string[]): FirstCase[] {
  return text
    .split(/\r?\n/)
    .filter((line) => line.trim() !== '')
    .map((line) => {
      const cells = line.split('\t').map((c) => c.trim())
      const values = Object.fromEntries(columns.map((c, i) => [c, cells[i] ?? '']))
      const reference = cells[columns.length]
      return reference ? { values, reference } : { values }
    })
}
