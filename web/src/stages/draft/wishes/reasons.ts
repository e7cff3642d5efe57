/** Wishes that were taken into the text, kept until the version is saved with them as reasons. */
import type { Schemas } from '@/api/client'
import type { Report } from '../useReport'

type Reason = Schemas['ReasonShape']

export const wishedAt = (brief: number) => `wishes taken ${brief}`

/** Those whose change is still in the text, with the clause's number in the version it comes from. */
export function reasonsFor(report: Report | undefined, wished: Reason[]): Reason[] {
  const changes = report?.amendments ?? []
  const found: Reason[] = []
  for (const reason of wished) {
    const change = changes.find((a) =>
      a.after === null
        ? reason.kind === 'strike' && a.kind === 'strike' && a.before?.text === reason.text
        : reason.text !== '' && a.after.text.trim() === reason.text.trim(),
    )
    if (!change) continue
    const kind = change.kind === 'add' || change.kind === 'strike' ? change.kind : 'amend'
    found.push({ ...reason, kind, clause: change.before?.number ?? reason.clause })
  }
  return found
}
