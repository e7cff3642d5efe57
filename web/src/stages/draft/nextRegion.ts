/** Text, answers and margin come in hand in turn. */
export function nextRegion() {
  const regions = [...document.querySelectorAll<HTMLElement>('[data-region]')]
  const at = regions.findIndex((r) => r.contains(document.activeElement))
  regions[(at + 1) % regions.length]?.focus()
}
