type Named = { id: string; number: number }
// Of a sign in the small type of numbers, and the room beside the name.
const SIGN_PX = 7.3
const BESIDE_PX = 6
const LEAST_PX = 35
const MOST_PX = 110

/** What a case is called wherever it is named: its own id, else its number. */
export function caseName(c: Named): string {
  return c.id || String(c.number)
}

/** The width in pixels of a column of such names; what is longer is cut and told by its title. */
export function caseNameWidth(cases: Named[]): number {
  const longest = cases.reduce((most, c) => Math.max(most, caseName(c).length), 0)
  return Math.round(Math.min(MOST_PX, Math.max(LEAST_PX, longest * SIGN_PX + BESIDE_PX)))
}
