/** The first table of an answer as CSV; null where there is none. */
export function csvIn(text: string): string | null {
  const lines = text.split(/\r?\n/)
  const first = lines.findIndex((line, i) => isRow(line) && isRule(lines[i + 1] ?? ''))
  if (first < 0) return null
  const rows = [cellsOf(lines[first] ?? '')]
  for (const line of lines.slice(first + 2)) {
    if (!isRow(line)) break
    rows.push(cellsOf(line))
  }
  return rows.map((row) => row.map(quoted).join(',')).join('\r\n')
}

const isRow = (line: string) => line.includes('|')
const isRule = (line: string) => /^\s*\|?\s*:?-{2,}:?\s*(\|\s*:?-{2,}:?\s*)*\|?\s*$/.test(line)

function cellsOf(line: string): string[] {
  // A bar after a backslash is part of the cell.
  return line
    .trim()
    .replace(/^\|/, '')
    .replace(/(^|[^\\])\|$/, '$1')
    .split(/(?<!\\)\|/)
    .map((cell) => cell.trim().replaceAll('\\|', '|'))
}

function quoted(cell: string): string {
  // No cell may become a formula of the spreadsheet it is pasted into.
  const safe = /^[=+\-@\t\r']/.test(cell) && !/^[+-]?\d+([.,]\d+)?$/.test(cell) ? `'${cell}` : cell
  return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe
}
