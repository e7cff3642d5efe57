import type { Schemas } from '@/api/client'
import type { ArmColumn } from './armColumns'

type Arm = Schemas['ArmOnBoard']
type InFull = Schemas['ArmInFull']

export type Sorting = { by: string; down: boolean }

const USUAL: Sorting = { by: 'mean', down: true }

/** “-cost” is by price, the dearest first. */
export function sortingIn(text: string | null): Sorting {
  if (!text) return USUAL
  return { by: text.replace(/^-/, ''), down: text.startsWith('-') }
}

export function sortingText(s: Sorting): string {
  return s.by === USUAL.by && s.down === USUAL.down ? '' : `${s.down ? '-' : ''}${s.by}`
}

/** The columns that an address names, in the table's own order; the usual ones where it names none. */
export function chosenColumns(all: ArmColumn[], text: string | null): ArmColumn[] {
  const keys = keysIn(text)
  return all.filter((c) => (keys ? keys.includes(c.key) : c.usual))
}

/** The keys of a list in an address; null where there is none, or none that can be read. */
function keysIn(text: string | null): unknown[] | null {
  try {
    const told: unknown = JSON.parse(text ?? 'null')
    return Array.isArray(told) ? (told as unknown[]) : null
  } catch {
    return null
  }
}

/** Arms by a column; what has no figure comes last, whichever way it runs. */
export function sorted(
  arms: Arm[],
  sorting: Sorting,
  full: Map<number, InFull>,
  columns: Pick<ArmColumn, 'key' | 'value'>[],
): Arm[] {
  const column = columns.find((c) => c.key === sorting.by)
  const value = (a: Arm): number | null => {
    if (sorting.by === 'mean') return a.mean
    return column ? column.value(a, full.get(a.id)) : a.position
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
