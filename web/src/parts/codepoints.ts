/** The server counts code points, the browser UTF-16 units; this turns one into the other. */
export function utf16Offsets(text: string): (codePoint: number) => number {
  if (!/[\ud800-\udbff]/.test(text)) return (n) => n
  const starts: number[] = []
  let at = 0
  for (const mark of text) {
    starts.push(at)
    at += mark.length
  }
  starts.push(at)
  return (n) => starts[Math.min(n, starts.length - 1)] ?? at
}

/** A text with what stands between two code points replaced. */
export function codePointSplice(text: string, start: number, end: number, insert: string): string {
  const at = utf16Offsets(text)
  return text.slice(0, at(start)) + insert + text.slice(at(end))
}

/** Where a UTF-16 offset lies, counted in code points. */
export function toCodePoint(text: string, unit: number): number {
  return [...text.slice(0, unit)].length
}
