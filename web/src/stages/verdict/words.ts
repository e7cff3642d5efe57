import type { Schemas } from '@/api/client'
import { plural, pValue, score } from '@/parts/numbers'

type Named = { letter: string; version: number; model: string }

const name = (arm: Named) => `v${arm.version} on ${arm.model.replace(/^standin-/, '')}`

// The verdict on a trial tests at 0.04; the last hundredth is kept for later extensions of it.
export const TEST_LEVEL = 0.04

/** The comparison in plain words, made from the figures by rule. */
export function inPlainWords(c: Schemas['ComparisonShape'], a: Named, b: Named): string {
  const f = c.figures
  if (!f || f.difference === null || f.low === null || f.high === null) {
    return `${name(a)} and ${name(b)} cannot be compared: ${f?.why_null ?? 'no scores yet'}.`
  }
  const size = `${score(Math.abs(f.difference), 3)} ${f.difference < 0 ? 'lower' : 'higher'}`
  const span = `between ${signedWords(f.low)} and ${signedWords(f.high)}`
  const tally = `It won ${plural(f.wins, 'case')}, lost ${f.losses}, and ${f.ties} came out alike.`
  if (!c.complete) {
    return `So far ${name(a)} scores ${size} than ${name(b)}, ${span}. The trial is not complete, so this decides nothing.`
  }
  const sure = f.p_holm !== null && f.p_holm <= TEST_LEVEL
  if (Math.abs(f.difference) < 1e-9) return `${name(a)} and ${name(b)} score the same on these cases. ${tally}`
  if (sure) {
    return `${f.difference > 0 ? 'Yes' : 'No'}: ${name(a)} scores ${size} than ${name(b)}, ${span} (p ${pValue(f.p_holm)} after correction). ${tally}`
  }
  return `Cannot tell: ${name(a)} scores ${size} than ${name(b)}, ${span} (p ${pValue(f.p_holm)} after correction), which chance alone explains well enough. ${tally}`
}

type Figures = NonNullable<Schemas['ComparisonShape']['figures']>

/** Non-inferiority: the lower end of the interval lies above minus the margin of the scorecard. */
export function noWorse(f: Pick<Figures, 'low'>, margin: number): boolean {
  return f.low !== null && f.low > -margin
}

export function noWorseInWords(f: Pick<Figures, 'low'>, margin: number, a: Named, b: Named): string {
  if (f.low === null) return 'There is no interval to tell it by.'
  if (noWorse(f, margin)) return `Yes: ${name(a)} is at most ${score(Math.max(0, -f.low), 3)} below ${name(b)} by the interval, less than the margin.`
  return `Not shown: by the interval ${name(a)} may be ${score(-f.low, 3)} below ${name(b)}, more than the margin allows.`
}

function signedWords(v: number): string {
  return `${v < 0 ? '−' : '+'}${Math.abs(v).toFixed(3)}`
}
