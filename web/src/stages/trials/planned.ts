import type { Schemas } from '@/api/client'
import { type Condition, conditionsIn } from '../cases/conditions'
import { datasetInHand } from '../dataset'
import type { Settings } from '../settings/SettingsRow'
import type { CasesTyped, Run } from './RunChoices'

export type PlanBody = Schemas['PlanRequest']
export type Choices = Schemas['ChoicesShape']

export const ALL_CASES: CasesTyped = {
  which: 'all',
  n: '30',
  seed: '0',
  tag: '',
  words: '',
  numbers: '',
  where: [],
}

/** One row of settings stands for several arms where a field lists values: `0, 0.3, 0.7`. */
export function expanded(rows: Settings[]): { settings: Settings[]; row: number[] } {
  const settings: Settings[] = []
  const row: number[] = []
  rows.forEach((typed, at) => {
    let made: Settings[] = [{}]
    for (const [name, value] of Object.entries(typed)) {
      const values = name === 'stop' || name === 'response_schema' ? null : listed(value)
      made = made.flatMap((one) => (values ?? [value]).map((v) => ({ ...one, [name]: v })))
    }
    for (const one of made) {
      settings.push(one)
      row.push(at)
    }
  })
  return { settings, row }
}

/** The numbers of a list as it is typed; null for what is none. */
function listed(value: unknown): number[] | null {
  if (typeof value !== 'string' || !/[,;]/.test(value)) return null
  const parts = value
    .split(/[,;]\s+|;/)
    .flatMap((p) => (/^\s*-?[\d.]+\s*(,\s*-?[\d.]+\s*)+$/.test(p) ? p.split(',') : [p]))
    .map((p) => p.trim())
    .filter(Boolean)
  const numbers = parts.map(Number)
  return parts.length > 1 && numbers.every((n) => Number.isFinite(n)) ? [...new Set(numbers)] : null
}

export function bodyOf(
  versions: number[],
  models: number[],
  settings: Settings[],
  run: Run,
  baselines: number[] = [],
): PlanBody {
  return {
    versions,
    models,
    settings,
    dataset_version: run.dataset,
    split: run.split,
    repeats: Number(run.repeats) || 0,
    fresh: run.fresh,
    continuations: Number(run.continuations),
    user_model: run.userModel,
    racing: run.racing,
    reference: referenceIn(run.reference, versions, models, settings.length, baselines),
    baselines,
    cases: casesOf(run.cases),
  }
}

function casesOf(typed: CasesTyped): PlanBody['cases'] {
  if (typed.which === 'all') return null
  const whole = (text: string) => (/^\s*\d+\s*$/.test(text) ? Number(text) : 0)
  return {
    which: typed.which,
    n: ['first', 'random'].includes(typed.which) ? whole(typed.n) : null,
    seed: whole(typed.seed),
    tag: typed.which === 'tag' ? typed.tag : '',
    words: ['words', 'where'].includes(typed.which) ? typed.words : '',
    numbers: typed.which === 'numbers' ? typed.numbers : '',
    where: typed.which === 'where' ? typed.where : [],
  }
}

/** The arm chosen as the reference, as long as it is still planned. */
function referenceIn(
  value: string,
  versions: number[],
  models: number[],
  rows: number,
  baselines: number[],
) {
  const baseline = Number(/^baseline (\d+)$/.exec(value)?.[1] ?? 0)
  if (baseline)
    return baselines.includes(baseline) ? { version: 0, model: 0, settings: 0, baseline } : null
  const [version = 0, model = 0, settings = 0] = value.split(' ').map(Number)
  const planned = versions.includes(version) && models.includes(model) && settings < rows
  return value && planned ? { version, model, settings, baseline: null } : null
}

/** The cases that the grid handed over in the address; null where it did not. */
export function casesAsked(search: URLSearchParams): Partial<Run> | null {
  const where = conditionsIn(search.get('where'))
  const words = search.get('words') ?? ''
  const split = search.get('split')
  if (!where && !words && !split) return null
  const which = where || words ? 'where' : 'all'
  return {
    cases: { ...ALL_CASES, which, where: where ?? [], words },
    split: split === 'held-out' ? split : 'working',
  }
}

/** What a plan begins with: the choices of a former trial, as far as they are still there. */
export function startOf(
  like: Choices | null,
  whole: boolean,
  brief: Schemas['BriefDetail'],
  inHand: number | null,
  models: Schemas['ModelShape'][],
): {
  versions: number[]
  models: number[]
  settings: Settings[]
  question: string
  run: Run
  baselines: number[]
} {
  const usable = brief.datasets.filter((d) => d.working + d.held_out > 0 && !d.archived)
  const chosen = whole ? like?.dataset : datasetInHand(brief)?.id
  const dataset =
    usable.find((d) => d.id === chosen) ?? usable.find((d) => d.id === like?.dataset) ?? usable[0]
  const parent = brief.versions.find((v) => v.number === inHand)?.parent
  const own = inHand === null ? [] : parent ? [parent, inHand] : [inHand]
  const kept = (like?.models ?? []).filter((id) => models.some((m) => m.id === id))
  const only = models.length === 1 ? models.map((m) => m.id) : []
  return {
    versions:
      whole && like ? like.versions.filter((n) => brief.versions.some((v) => v.number === n)) : own,
    models: kept.length ? kept : only,
    settings: like?.settings.length ? like.settings : [{}],
    question: whole ? (like?.question ?? '') : '',
    baselines: like?.baselines ?? [],
    run: {
      dataset: dataset?.version_id ?? 0,
      split: whole ? (like?.split ?? 'working') : 'working',
      repeats: String(like?.repeats ?? 1),
      budget: '',
      continuations: String(like?.continuations ?? 0),
      userModel: like?.user_model ?? null,
      fresh: false,
      racing: like?.racing ?? false,
      reference: '',
      cases: like?.cases
        ? {
            ...ALL_CASES,
            ...like.cases,
            which: like.cases.which as CasesTyped['which'],
            where: like.cases.where as Condition[],
            n: String(like.cases.n ?? ALL_CASES.n),
            seed: String(like.cases.seed),
          }
        : ALL_CASES,
    },
  }
}
