type Priced = { cost_per_1000: number | null }

/** What an arm costs beside another, in a sentence; nothing where one has no price. */
export function priceInWords(a: Priced, b: Priced): string {
  const told = priceBeside(a, b)
  return told ? `It ${told}.` : ''
}

/** “at 27 % of the price”, short enough for a table. */
export function priceShare(a: Priced, b: Priced): string {
  if (!a.cost_per_1000 || !b.cost_per_1000) return ''
  const ratio = a.cost_per_1000 / b.cost_per_1000
  if (Math.abs(ratio - 1) < 0.02) return 'at the same price'
  return ratio >= 3
    ? `at ${ratio.toFixed(ratio < 10 ? 1 : 0)} × the price`
    : `at ${Math.round(ratio * 100)} % of the price`
}

/** “costs 37 % more”: the same to a fiftieth is as much. */
export function priceBeside(a: Priced, b: Priced): string {
  if (!a.cost_per_1000 || !b.cost_per_1000) return ''
  const ratio = a.cost_per_1000 / b.cost_per_1000
  if (Math.abs(ratio - 1) < 0.02) return 'costs as much'
  if (ratio >= 3) return `costs ${ratio.toFixed(ratio < 10 ? 1 : 0)} times as much`
  return `costs ${Math.round(Math.abs(ratio - 1) * 100)} % ${ratio > 1 ? 'more' : 'less'}`
}
