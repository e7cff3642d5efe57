/** Figures as text: always with their unit, never with more digits than they can bear. */

export function score(value: number | null | undefined, digits = 2): string {
  return value === null || value === undefined ? '–' : value.toFixed(digits)
}

export function signed(value: number | null | undefined, digits = 3): string {
  if (value === null || value === undefined) return '–'
  const text = Math.abs(value).toFixed(digits)
  return Number(text) === 0 ? `±${text}` : `${value < 0 ? '−' : '+'}${text}`
}

const SIGNS: Record<string, string> = { EUR: '€', USD: '$', GBP: '£' }
let currency = 'EUR'

/** The installation's currency, told once by the session. */
export function setCurrency(code: string): void {
  currency = code
}

/** Billionths of the currency as money. */
export function money(nano: number | null | undefined, digits?: number): string {
  if (nano === null || nano === undefined) return '–'
  const value = nano / 1e9
  if (digits === undefined && value > 0 && value < 0.00001)
    return `under ${SIGNS[currency] ?? currency} 0.00001`
  const places = digits ?? (value === 0 || value >= 1 ? 2 : value >= 0.01 ? 3 : 5)
  return `${SIGNS[currency] ?? currency} ${value.toFixed(places)}`
}

/** What was paid; what simulated models came to stands apart and is never added to it. */
export function spentInWords(real: number, simulated: number): string {
  if (simulated === 0) return money(real)
  return real === 0
    ? `${money(simulated)} simulated`
    : `${money(real)}, ${money(simulated)} simulated`
}

/** The same of a cost all told and the part of it on simulated models. */
export function costInWords(all: number, simulated: number): string {
  return spentInWords(all - simulated, simulated)
}

export function seconds(ms: number | null | undefined): string {
  if (ms === null || ms === undefined) return '–'
  return `${(ms / 1000).toFixed(ms < 995 ? 2 : 1)} s`
}

export function count(n: number): string {
  return n.toLocaleString('en')
}

export function plural(n: number, one: string, many = `${one}s`): string {
  return `${count(n)} ${n === 1 ? one : many}`
}

/** Words as a list in a sentence: one, two and three. */
export function inAList(words: string[]): string {
  return new Intl.ListFormat('en-GB', { type: 'conjunction' }).format(words)
}

/** A stretch of time in words, for what is left of a trial. */
export function duration(s: number): string {
  if (s < 60) return `${Math.max(1, Math.round(s))} s`
  const minutes = Math.floor(s / 60)
  const rest = Math.round(s % 60)
  return minutes < 60
    ? `${minutes} min${rest ? ` ${rest} s` : ''}`
    : `${Math.round(minutes / 60)} h`
}

export function pValue(p: number | null | undefined): string {
  if (p === null || p === undefined) return '–'
  return p < 0.001 ? '<0.001' : p.toFixed(3)
}

export function clock(iso: string, now = new Date()): string {
  const at = new Date(iso)
  const sameDay = at.toDateString() === now.toDateString()
  return sameDay
    ? at.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
    : at.toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })
}

/** Which of the eight steps of the score ramp a score falls on. */
export function rampStep(value: number): number {
  return Math.min(7, Math.max(0, Math.floor(value * 8)))
}

/** How often something was looked at, in words. */
export function lookedAt(n: number): string {
  return n === 0
    ? 'never looked at'
    : `looked at ${n === 1 ? 'once' : n === 2 ? 'twice' : `${count(n)} times`}`
}

/** All of them together. */
export function sum(values: number[]): number {
  return values.reduce((total, value) => total + value, 0)
}
