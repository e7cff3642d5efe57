import type { RefObject } from 'react'
import type { Schemas } from '@/api/client'
import type { WantedNote } from '../placedNotes'
import type { Report } from '../useReport'
import { WishNote } from './WishNote'

type Proposal = Schemas['AmendmentProposal']
type Acts = RefObject<{ take: (id: string) => void; leave: (key: string) => void }>

/** The same change, whatever number it has. */
export const keyOf = (p: Proposal) => `${p.kind} ${p.clause} ${p.text}`

/** Proposals as notes, each at the clause it changes or follows. */
export function notesFor(
  proposals: Proposal[],
  report: Report | undefined,
  busy: boolean,
  acts: Acts,
): WantedNote[] {
  return proposals.map((p) => {
    const clause = report?.clauses.find((c) => c.number === p.clause)
    return {
      key: `wish ${keyOf(p)}`,
      message: clause?.message ?? 0,
      at: clause ? (p.kind === 'add' ? clause.end : clause.start) : 0,
      note: () => (
        <WishNote
          proposal={p}
          busy={busy}
          onTake={() => acts.current.take(p.id)}
          onLeave={() => acts.current.leave(keyOf(p))}
        />
      ),
    }
  })
}
