/** A value of a case as it is shown: text as it is, anything else as JSON. */
export function asText(value: unknown): string {
  if (value === null || value === undefined) return ''
  return typeof value === 'string' ? value : JSON.stringify(value)
}
