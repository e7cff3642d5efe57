import type { Schemas } from '@/api/client'

type Row = Schemas['ListedTrial']
const RUNNING = ['running', 'queued']

/** The trials found by words, those that run on top; archived ones only where they are asked for. */
export function listed(trials: Row[], words: string, archived: boolean): Row[] {
  const wanted = words.trim().toLowerCase()
  return trials
    .filter((t) => archived || !t.archived || RUNNING.includes(t.state))
    .filter(
      (t) =>
        !wanted ||
        [`trial ${t.number}`, t.question, t.note, t.by, t.state, t.dataset, ...t.arms]
          .join('\n')
          .toLowerCase()
          .includes(wanted),
    )
    .sort(
      (a, b) =>
        Number(RUNNING.includes(b.state)) - Number(RUNNING.includes(a.state)) ||
        b.number - a.number,
    )
}
