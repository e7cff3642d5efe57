import type { Schemas } from '@/api/client'

type Arm = Schemas['ArmOnBoard']
type InFull = Schemas['ArmInFull']

export type Column = 'name' | 'mean' | 'won' | 'cost' | 'time'
export type Sorting = { by: Column; down: boolean }

/** Arms by a column; what has no figure comes last, whichever way it runs. */
export function sorted(arms: Arm[], sorting: Sorting, full: Map<number, InFull>): Arm[] {
  const value = (a: Arm): number | null => {
    if (sorting.by === 'mean') return a.mean
    if (sorting.by === 'cost') return a.cost_per_1000
    if (sorting.by === 'time') return a.latency_ms
    if (sorting.by === 'won') {
      const own = full.get(a.id)
      return own?.won == null ? null : own.won - (own.lost ?? 0)
    }
    return a.position
  }
  const sign = sorting.down ? -1 : 1
  return [...arms].sort((a, b) => {
    const [x, y] = [value(a), value(b)]
    if (x === null || y === null) return x === y ? a.position - b.position : x === null ? 1 : -1
    return sign * (x - y) || a.position - b.position
  })
}

/** The stretch of scores that a plot shows: all intervals with some room, never less than a fifth. */
export function scaleOf(arms: Pick<Arm, 'low' | 'high'>[]): [number, number] {
  const lows = arms.flatMap((a) => a.low ?? [])
  const highs = arms.flatMap((a) => a.high ?? [])
  if (!lows.length || !highs.length) return [0, 1]
  const least = Math.min(...lows)
  const most = Math.max(...highs)
  const room = Math.max((most - least) * 0.06, (0.2 - (most - least)) / 2, 0)
  const low = Math.max(0, Math.floor((least - room) * 20) / 20)
  const high = Math.min(1, Math.ceil((most + room) * 20) / 20)
  return [low, high]
}
