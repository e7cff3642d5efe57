import { short } from '../trials/Board'

/** An arm in full, without its letter. */
export function armName(arm: {
  version_label: string
  model: string
  settings_short: string
}): string {
  return `${arm.version_label} on ${short(arm.model)}, ${arm.settings_short}`
}
