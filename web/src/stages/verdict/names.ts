/** An arm in full, without its letter. */
export function armName(arm: {
  version_label: string
  model_short: string
  settings_short: string
}): string {
  return `${arm.version_label} on ${arm.model_short}, ${arm.settings_short}`
}
