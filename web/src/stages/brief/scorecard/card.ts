import type { Schemas } from '@/api/client'
import { asText } from '@/parts/text'

export type Row = {
  measure: string
  name?: string
  weight?: number
  gate?: boolean
  turn?: string | number
  [parameter: string]: unknown
}
export type Threshold = { measure?: string; at_least?: number; at_most?: number }
/** Where in an answer's text the answer begins, for every measure but judges. */
export type Beginning = { begins: string; mark?: string }
export type Card = {
  nomikon: string
  margin?: number
  measures: Row[]
  thresholds?: Threshold[]
  answer?: Beginning | string
}

export const BEGINNINGS = [
  ['whole', 'the whole text'],
  ['json', 'its first JSON'],
  ['fence', 'its first fenced block'],
  ['mark', 'what follows a mark'],
] as const

/** The same with all of it said. */
export function beginningOf(card: Card | undefined): { begins: string; mark: string } {
  const told = card?.answer
  if (typeof told === 'string') return { begins: told, mark: '' }
  return { begins: told?.begins ?? 'whole', mark: told?.mark ?? '' }
}
export type Measure = Schemas['MeasureShape']
export type Sort = Schemas['SortShape']

/** A parameter while it is typed: the text of its field, or a value that has a form of its own. */
export type Raw = unknown
export type DraftRow = {
  measure: string
  name: string
  weight: string
  gate: boolean
  turn: string
  raw: Record<string, Raw>
}
export type DraftThreshold = { measure: string; rule: 'at_least' | 'at_most'; value: string }

/** Keys of a row that are no parameters of its measure. */
export const OWN = ['measure', 'name', 'weight', 'gate', 'turn']

/** Something typed that is no value of its parameter. */
export class ParameterError extends Error {
  constructor(
    readonly parameter: string,
    text: string,
  ) {
    super(text)
  }
}

export function rawOf(value: unknown, sort: Sort['sort'], unset = false): Raw {
  if (value === undefined) return sort === 'flag' ? unset : sort === 'criteria' ? [] : ''
  if (sort === 'flag' || sort === 'criteria') return value
  if (sort === 'texts') return (Array.isArray(value) ? value : [value]).map(String).join('\n')
  if (sort === 'json') return JSON.stringify(value)
  return typeof value === 'string' ? value : JSON.stringify(value)
}

/** The value that was typed; undefined where it is left to the measure. Raises ParameterError. */
export function valueOf(raw: Raw, sort: Sort['sort'], name: string, unset = false): unknown {
  if (sort === 'flag') return raw === unset ? undefined : raw === true
  if (sort === 'criteria') return Array.isArray(raw) && raw.length ? raw : undefined
  const text = asText(raw)
  if (sort === 'texts') {
    const listed = text
      .split('\n')
      .map((t) => t.trim())
      .filter(Boolean)
    return listed.length ? listed : undefined
  }
  if (text.trim() === '') return undefined
  if (sort === 'whole' || sort === 'number') {
    const n = Number(text)
    if (!Number.isFinite(n) || (sort === 'whole' && !Number.isInteger(n)))
      throw new ParameterError(name, `“${text}” is no ${sort === 'whole' ? 'whole ' : ''}number`)
    return n
  }
  if (sort === 'json') {
    try {
      return JSON.parse(text) as unknown
    } catch (error) {
      throw new ParameterError(name, `not JSON: ${(error as Error).message}`)
    }
  }
  return text
}

/** A stored row as it is edited; what its measure does not know stays as JSON. */
export function draftOf(row: Row, measure: Measure | undefined): DraftRow {
  const names = new Set([
    ...Object.keys(measure?.parameters ?? {}),
    ...Object.keys(row).filter((k) => !OWN.includes(k)),
  ])
  return {
    measure: row.measure,
    name: row.name ?? '',
    weight: String(row.weight ?? 1),
    gate: row.gate ?? false,
    turn: row.turn === undefined ? '' : String(row.turn),
    raw: Object.fromEntries(
      [...names].map((n) => [
        n,
        rawOf(row[n], measure?.sorts[n]?.sort ?? 'json', measure?.sorts[n]?.default),
      ]),
    ),
  }
}

/** An edited row as it is stored. Raises ParameterError. */
export function rowOf(draft: DraftRow, measure: Measure | undefined): Row {
  const row: Row = { measure: draft.measure, weight: Number(draft.weight) }
  if (draft.name.trim()) row.name = draft.name.trim()
  if (draft.gate) row.gate = true
  if (draft.turn.trim())
    row.turn = /^\d+$/.test(draft.turn.trim()) ? Number(draft.turn) : draft.turn.trim()
  for (const [name, raw] of Object.entries(draft.raw)) {
    const value = valueOf(
      raw,
      measure?.sorts[name]?.sort ?? 'json',
      name,
      measure?.sorts[name]?.default,
    )
    if (value !== undefined) row[name] = value
  }
  return row
}

/** A new row of a measure. Its worked example is shown as hints and never a value: taken for one, it
 * would fail every answer. */
export function newRow(measure: Measure): DraftRow {
  return draftOf({ measure: measure.name }, measure)
}

/** What a parameter looks like, from the measure's worked example; '' where that has none. */
export function hintOf(measure: Measure | undefined, name: string): string {
  const value: unknown = measure?.example.parameters[name]
  const sort = measure?.sorts[name]?.sort ?? 'json'
  if (value === undefined || sort === 'flag' || sort === 'criteria' || sort === 'model') return ''
  return asText(rawOf(value, sort))
}

/** One criterion of a rubric, its levels from the worst to the best. */
export type Criterion = { name: string; asks?: string; levels: string[]; weight?: number }
