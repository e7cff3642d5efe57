type Figures = {
  difference: number | null
  low: number | null
  high: number | null
  p_holm: number | null
}
type Held = { complete: boolean; level: number; margin: number }

export type Standing = 'better' | 'worse' | 'level' | 'not shown' | 'so far'

/** What a comparison says in a word: level only where the whole interval lies within the margin. */
export function standingOf(f: Figures, c: Held): Standing {
  if (!c.complete) return 'so far'
  if (f.difference !== null && f.p_holm !== null && f.p_holm <= c.level && f.difference !== 0)
    return f.difference > 0 ? 'better' : 'worse'
  const within = f.low !== null && f.high !== null && f.low > -c.margin && f.high < c.margin
  return within ? 'level' : 'not shown'
}

/** How far from nothing a plot of these differences must reach. */
export function reachOf(
  rows: (Pick<Figures, 'difference' | 'low' | 'high'> & { together: number })[],
): number {
  return Math.max(
    0.05,
    ...rows.map((r) =>
      Math.max(
        Math.abs(r.low ?? 0),
        Math.abs(r.high ?? 0),
        Math.abs(r.difference ?? 0) + r.together,
      ),
    ),
  )
}
