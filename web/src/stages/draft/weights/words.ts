import type { Schemas } from '@/api/client'
import { plural } from '@/parts/numbers'

type Weighed = Pick<Schemas['ClauseWeightShape'], 'verdict' | 'low' | 'high'>

export function namesOf(numbers: number[]): string {
  return numbers.map((n) => `§ ${n}`).join(' with ')
}

/** How far the common scale reaches to either side: the widest interval, rounded up. */
export function reachOf(clauses: Weighed[]): number {
  const widest = Math.max(
    0.02,
    ...clauses.flatMap((c) => [Math.abs(c.low ?? 0), Math.abs(c.high ?? 0)]),
  )
  return Math.ceil(widest * 50) / 50
}

/** "Of 12 clauses 5 earn their place, 1 hurts, 4 do nothing and of 2 it cannot be told." */
export function inAll(clauses: Weighed[]): string {
  const n = (verdict: string) => clauses.filter((c) => c.verdict === verdict).length
  const parts = [
    n('earns') && `${n('earns')} ${n('earns') === 1 ? 'earns its' : 'earn their'} place`,
    n('hurts') && `${n('hurts')} ${n('hurts') === 1 ? 'hurts' : 'hurt'}`,
    n('does nothing') && `${n('does nothing')} ${n('does nothing') === 1 ? 'does' : 'do'} nothing`,
    n('cannot tell') && `of ${n('cannot tell')} it cannot be told on so few cases`,
  ].filter(Boolean) as string[]
  const told =
    parts.length > 1
      ? `${parts.slice(0, -1).join(', ')} and ${parts.at(-1)}`
      : (parts[0] ?? 'none was weighed')
  return `Of ${plural(clauses.length, 'clause')} ${told}.`
}
