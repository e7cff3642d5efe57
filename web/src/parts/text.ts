/** A value of a case or a setting as it is shown: text as it is, nothing as nothing, the rest as JSON. */
export function asText(value: unknown): string {
  if (value === null || value === undefined) return ''
  return typeof value === 'string' ? value : JSON.stringify(value)
}
