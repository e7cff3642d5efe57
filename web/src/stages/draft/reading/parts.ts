/** What the lines of a reading are called, and the measures that would check them. */
// Lines whose words a person can say otherwise of, by what the fact is called.
export const FACTS: Record<string, string> = {
  task: 'task',
  role: 'role',
  audience: 'audience',
  tone: 'tone',
  output: 'output',
  limit: 'limit',
  must: 'rule',
  'must-not': 'rule',
}
export const PARTS: Record<string, string> = {
  task: 'Task',
  role: 'Role',
  audience: 'Readers',
  tone: 'Tone',
  input: 'Input',
  output: 'Answer',
  limit: 'Limit',
  must: 'Must',
  'must-not': 'Must not',
  example: 'Example',
  cue: 'Cue',
  language: 'Language',
}
export const LANGUAGES: Record<string, string> = {
  en: 'English',
  de: 'German',
  fr: 'French',
  es: 'Spanish',
}

/** A name of its own where the measure is on the card already. */
export function freeName(
  measures: { name?: string; measure: string }[],
  kind: string,
): { name?: string } {
  const taken = new Set(measures.map((m) => m.name ?? m.measure))
  if (!taken.has(kind)) return {}
  let n = 2
  while (taken.has(`${kind} ${n}`)) n++
  return { name: `${kind} ${n}` }
}
