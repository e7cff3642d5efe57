/** Pasted lines as the first cases of a brief. */

export type FirstCase = { values: Record<string, string>; reference?: string }

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
