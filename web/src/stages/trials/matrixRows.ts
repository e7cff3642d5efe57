import type { Schemas } from '@/api/client'

type Case = Schemas['CellCase']

export type Grouping = '' | 'tag' | 'label'
export type MatrixRow =
  { kind: 'group'; name: string; cases: Case[] } | { kind: 'case'; case: Case }

const NONE = { tag: 'without a tag', label: 'no label' }
/** References longer than this are no labels: they stand together. */
const LONGEST_LABEL = 60

/** The rows of the matrix: cases, or groups with their cases below unless they are folded away. */
export function rowsOf(cases: Case[], by: Grouping, folded: Set<string>): MatrixRow[] {
  if (!by) return cases.map((c) => ({ kind: 'case', case: c }))
  const groups = new Map<string, Case[]>()
  for (const c of cases)
    for (const name of namesOf(c, by)) {
      const held = groups.get(name)
      if (held) held.push(c)
      else groups.set(name, [c])
    }
  return [...groups]
    .sort(([a], [b]) => (a === NONE[by] ? 1 : b === NONE[by] ? -1 : a.localeCompare(b)))
    .flatMap(([name, held]): MatrixRow[] => [
      { kind: 'group', name, cases: held },
      ...(folded.has(name) ? [] : held.map((c): MatrixRow => ({ kind: 'case', case: c }))),
    ])
}

/** A case stands in the group of each of its tags. */
function namesOf(c: Case, by: 'tag' | 'label'): string[] {
  if (by === 'tag') return c.tags.length ? c.tags : [NONE.tag]
  if (!c.label) return [NONE.label]
  return [c.label.length > LONGEST_LABEL ? 'longer references' : c.label]
}

/** The next row with a case, that many steps on; where there is none, the same. */
export function stepped(rows: MatrixRow[], from: number, by: number): number {
  let at = Math.min(Math.max(from, 0), rows.length - 1)
  const way = Math.sign(by)
  for (let left = Math.abs(by); left > 0; left--) {
    let next = at + way
    while (rows[next]?.kind === 'group') next += way
    if (!rows[next]) break
    at = next
  }
  // A row that a group has taken the place of is none to stand on.
  while (rows[at]?.kind === 'group' && at + 1 < rows.length) at++
  return at
}
