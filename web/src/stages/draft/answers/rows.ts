/** Several values for one or more placeholders, as the inputs of as many calls. */

export const MOST_ROWS = 500

/** One value a line, each once, in order. */
export function valuesOf(list: string): string[] {
  return [
    ...new Set(
      list
        .split(/\r?\n/)
        .map((v) => v.trim())
        .filter(Boolean),
    ),
  ]
}

/** Lines as they stand, empty ones too: row by row each belongs to its neighbours. */
const linesOf = (list: string) =>
  list
    .replace(/\s+$/, '')
    .split(/\r?\n/)
    .map((v) => v.trim())

/**
 * Inputs by row: every value with every other, or row by row; base fills what has no list.
 * wanted: how many there are, of which at most MOST_ROWS are given.
 */
export function rowsOf(
  lists: Record<string, string>,
  rowByRow: boolean,
  base: Record<string, unknown>,
): { rows: Record<string, unknown>[]; wanted: number } {
  const used = Object.entries(lists).filter(([, list]) => list.trim() !== '')
  if (used.length === 0) return { rows: [], wanted: 0 }
  if (rowByRow) {
    const columns = used.map(([name, list]) => [name, linesOf(list)] as const)
    const n = Math.max(...columns.map(([, values]) => values.length))
    const rows = Array.from({ length: Math.min(n, MOST_ROWS) }, (_, i) => ({
      ...base,
      ...Object.fromEntries(
        columns.flatMap(([name, values]) => (values[i] ? [[name, values[i]]] : [])),
      ),
    }))
    return { rows, wanted: n }
  }
  const columns = used.map(([name, list]) => [name, valuesOf(list)] as const)
  const wanted = columns.reduce((n, [, values]) => n * values.length, 1)
  const rows = Array.from({ length: Math.min(wanted, MOST_ROWS) }, (_, i) => {
    let rest = i
    const row: Record<string, unknown> = { ...base }
    for (const [name, values] of [...columns].reverse()) {
      row[name] = values[rest % values.length]
      rest = Math.floor(rest / values.length)
    }
    return row
  })
  return { rows, wanted }
}
