import type { Query } from '@/api/client'

/** Which answers of a trial are looked at, in what order: all of it stands in the address. */
export type Selection = {
  arms: number[]
  words: string
  tag: string
  label: string
  /** Of the table of labels, as the address has it: arm, field, wanted, given. */
  cell: string
  outcome: string
  measure: string
  low: string
  high: string
  mark: string
  differ: boolean
  alike: boolean
  repeatsDiffer: boolean
  order: Order
  turned: boolean
}

export const ORDERS = {
  dataset: 'as the dataset has them',
  arrival: 'as the answers came',
  differ: 'where they differ most',
  worst: 'the lowest',
  best: 'the highest',
  repeats: 'where repeats disagree most',
} as const
export type Order = keyof typeof ORDERS

export const OUTCOMES = {
  '': 'any',
  'no answer': 'no answer of any kind',
  cut: 'cut',
  declined: 'declined',
  empty: 'empty',
  failed: 'failed',
  answered: 'answered',
} as const

export const MARKS = {
  '': 'marked or not',
  unmarked: 'not marked yet',
  marked: 'marked',
  good: 'marked good',
  usable: 'marked usable',
  bad: 'marked bad',
} as const

export const EVERYTHING: Selection = {
  arms: [],
  words: '',
  tag: '',
  label: '',
  cell: '',
  outcome: '',
  measure: '',
  low: '',
  high: '',
  mark: '',
  differ: false,
  alike: false,
  repeatsDiffer: false,
  order: 'dataset',
  turned: false,
}

const TEXTS = [
  'words',
  'tag',
  'label',
  'cell',
  'outcome',
  'measure',
  'low',
  'high',
  'mark',
] as const
const FLAGS = {
  differ: 'differ',
  alike: 'alike',
  repeatsDiffer: 'repeats',
  turned: 'turned',
} as const

export function selectionIn(search: URLSearchParams): Selection {
  const found: Selection = { ...EVERYTHING }
  for (const name of TEXTS) found[name] = search.get(name) ?? ''
  for (const [name, short] of Object.entries(FLAGS) as [keyof typeof FLAGS, string][])
    found[name] = search.get(short) === 'yes'
  found.arms = (search.get('arms') ?? '')
    .split(',')
    .map(Number)
    .filter((n) => n > 0)
  const order = search.get('order') ?? ''
  if (order in ORDERS) found.order = order as Order
  return found
}

/** The address with this selection in place of the one it has; what asks for nothing is left out. */
export function withSelection(search: URLSearchParams, s: Selection): URLSearchParams {
  const next = new URLSearchParams(search)
  const put = (name: string, value: string) => {
    if (value) next.set(name, value)
    else next.delete(name)
  }
  for (const name of TEXTS) put(name, s[name])
  for (const [name, short] of Object.entries(FLAGS) as [keyof typeof FLAGS, string][])
    put(short, s[name] ? 'yes' : '')
  put('arms', s.arms.join(','))
  put('order', s.order === 'dataset' && !search.has('order') ? '' : s.order)
  return next
}

export function queryOf(s: Selection): Query<'selection'> {
  const texts = Object.fromEntries(TEXTS.flatMap((n) => (s[n] ? [[n, s[n]] as const] : [])))
  return {
    ...texts,
    ...(s.arms.length ? { arms: s.arms.join(',') } : {}),
    ...(s.differ ? { differ: 'true' as const } : {}),
    ...(s.alike ? { alike: 'true' as const } : {}),
    ...(s.repeatsDiffer ? { repeats_differ: 'true' as const } : {}),
    ...(s.turned ? { turned: 'true' as const } : {}),
    order: s.order,
  }
}

/** What is asked of the cases, in words: ['tag hard', 'declined', '“late”']. */
export function asked(s: Selection): string[] {
  const range =
    s.low && s.high
      ? `${s.low} to ${s.high}`
      : s.low
        ? `at least ${s.low}`
        : s.high
          ? `at most ${s.high}`
          : ''
  return [
    s.words && `“${s.words}”`,
    s.tag && `tag ${s.tag}`,
    s.label && `wanted ${s.label}`,
    s.cell && cellInWords(s.cell),
    s.outcome && (OUTCOMES[s.outcome as keyof typeof OUTCOMES] ?? s.outcome),
    range && `${s.measure || 'total'} ${range}`,
    s.differ && 'scored differently',
    s.alike && 'scored alike',
    s.repeatsDiffer && 'with repeats that disagree',
  ].filter((x): x is string => Boolean(x))
}

function cellInWords(cell: string): string {
  try {
    const [, , wanted, given] = JSON.parse(cell) as unknown[]
    return `“${String(wanted)}” wanted and “${String(given)}” given`
  } catch {
    return 'of a cell of the table of labels'
  }
}

/** One answer shown: an arm's, in one repeat. */
export type Shown = { arm: number; repeat: number }

export function shownIn(search: URLSearchParams): Shown[] {
  return (search.get('show') ?? '')
    .split(',')
    .map((part) => part.split('.').map(Number))
    .flatMap(([arm, repeat]) => (arm && arm > 0 ? [{ arm, repeat: repeat || 0 }] : []))
    .slice(0, MOST_SHOWN)
}

export const MOST_SHOWN = 4

export function asShown(shown: Shown[]): string {
  return shown.map((s) => (s.repeat ? `${s.arm}.${s.repeat}` : String(s.arm))).join(',')
}

const same = (a: Shown, b: Shown) => a.arm === b.arm && a.repeat === b.repeat

/**
 * What stands side by side when one answer is opened: it, and the one it is held against.
 * A trial of one arm shows its first two repeats.
 */
export function firstShown(
  opened: Shown,
  arms: number[],
  reference: number | null,
  repeats: number,
): Shown[] {
  const other =
    reference !== null && reference !== opened.arm && arms.includes(reference)
      ? reference
      : arms.find((a) => a !== opened.arm)
  if (other !== undefined) return [opened, { arm: other, repeat: opened.repeat }]
  if (repeats > 1) return [opened, { arm: opened.arm, repeat: opened.repeat === 0 ? 1 : 0 }]
  return [opened]
}

/** As many answers as asked for: further arms come in order, then further repeats. */
export function withCount(shown: Shown[], n: number, arms: number[], repeats: number): Shown[] {
  const all = Array.from({ length: repeats }, (_, repeat) => repeat).flatMap((repeat) =>
    arms.map((arm) => ({ arm, repeat })),
  )
  const more = all.filter((one) => !shown.some((s) => same(s, one)))
  return [...shown, ...more].slice(0, Math.max(1, n))
}

/** The answers with the one at a place exchanged for the next (or former) that is not shown. */
export function exchanged(
  shown: Shown[],
  at: number,
  step: 1 | -1,
  arms: number[],
  repeats: number,
): Shown[] {
  const all = arms.flatMap((arm) =>
    Array.from({ length: repeats }, (_, repeat) => ({ arm, repeat })),
  )
  const here = shown[at]
  if (!here) return shown
  const begin = all.findIndex((one) => same(one, here))
  for (let n = 1; n < all.length; n++) {
    const one = all[(begin + step * n + all.length * n) % all.length]
    if (one && !shown.some((s) => same(s, one))) return shown.map((s, i) => (i === at ? one : s))
  }
  return shown
}
