/** An arm in full, without its letter. */
export function armName(arm: { in_words: string; settings_short: string }): string {
  return `${arm.in_words}, ${arm.settings_short}`
}
