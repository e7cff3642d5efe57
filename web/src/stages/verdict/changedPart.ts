/** What changed between two answers, short: the first keys that differ of two JSON objects, else their beginnings. */
export function changedPart(before: string, after: string): [string, string] {
  const [b, a] = [objectOf(before), objectOf(after)]
  if (b && a) {
    const keys = [...new Set([...Object.keys(b), ...Object.keys(a)])].filter(
      (k) => JSON.stringify(b[k]) !== JSON.stringify(a[k]),
    )
    if (keys.length) {
      const told = (o: Record<string, unknown>) =>
        keys
          .slice(0, 2)
          .map((k) => (k in o ? JSON.stringify(o[k]) : 'not given'))
          .join(', ')
      return [`${keys.slice(0, 2).join(', ')}: ${told(b)}`, told(a)]
    }
  }
  return [oneLine(before), oneLine(after)]
}

function oneLine(text: string): string {
  return text.replace(/\s+/g, ' ').trim() || '(empty)'
}

function objectOf(text: string): Record<string, unknown> | null {
  try {
    const value: unknown = JSON.parse(text)
    return typeof value === 'object' && value !== null && !Array.isArray(value)
      ? (value as Record<string, unknown>)
      : null
  } catch {
    return null
  }
}
