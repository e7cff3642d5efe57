import type { Schemas } from '@/api/client'

type Row = Pick<Schemas['SpendRow'], 'month' | 'name' | 'model' | 'cost'>
export type Part = { name: string; costs: Record<string, number> }

const MOST_MONTHS = 12
const OTHERS = 'all others'

/** Every month from the first with a spend to the last, oldest first, at most a year. */
export function monthsOf(rows: Pick<Row, 'month'>[]): string[] {
  const known = rows.map((r) => r.month).sort()
  const last = known.at(-1)
  const found: string[] = []
  for (let at = known[0]; at && last && at <= last; at = after(at)) found.push(at)
  return found.slice(-MOST_MONTHS)
}

function after(month: string): string {
  const [year = 0, number = 0] = month.split('-').map(Number)
  return number === 12 ? `${year + 1}-01` : `${year}-${String(number + 1).padStart(2, '0')}`
}

/** What each model or brief cost, month by month, the dearest first; what is beyond `most` together. */
export function byPart(rows: Row[], key: 'model' | 'name', most: number): Part[] {
  const sums = new Map<string, Part>()
  for (const r of rows) {
    const part = sums.get(r[key]) ?? { name: r[key], costs: {} }
    part.costs[r.month] = (part.costs[r.month] ?? 0) + r.cost
    sums.set(r[key], part)
  }
  const total = (p: Part) => Object.values(p.costs).reduce((n, c) => n + c, 0)
  const ordered = [...sums.values()].sort((a, b) => total(b) - total(a))
  if (ordered.length <= most) return ordered
  const rest: Part = { name: OTHERS, costs: {} }
  for (const p of ordered.slice(most - 1)) {
    for (const [m, c] of Object.entries(p.costs)) rest.costs[m] = (rest.costs[m] ?? 0) + c
  }
  return [...ordered.slice(0, most - 1), rest]
}
