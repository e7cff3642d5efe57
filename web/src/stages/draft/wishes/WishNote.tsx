import type { Schemas } from '@/api/client'
import { Note } from '@/parts/Margin'
import { Button } from '@/parts/controls'

type Props = {
  proposal: Schemas['AmendmentProposal']
  busy: boolean
  onTake: () => void
  onLeave: () => void
}

const TITLES = { amend: 'would read', add: 'more', strike: 'would go' } as const

/** A change that grants a wish, beside the clause it changes. */
export function WishNote({ proposal, busy, onTake, onLeave }: Props) {
  const { kind, clause, before, text, reason } = proposal
  return (
    <Note
      tone={kind === 'strike' ? 'harm' : 'action'}
      title={
        kind === 'add' ? (
          <>
            After § {clause} <span className="font-normal">one clause more</span>
          </>
        ) : (
          <>
            § {clause} <span className="font-normal">{TITLES[kind]}</span>
          </>
        )
      }
    >
      {kind === 'strike' ? (
        <s className="whitespace-pre-wrap text-soft">{before?.trim()}</s>
      ) : (
        <span className="whitespace-pre-wrap">{text.trim()}</span>
      )}
      <span className="mt-1 flex items-baseline gap-2 font-sans text-xs text-soft">
        <span className="min-w-0 flex-1">{reason}</span>
        <Button small data-take disabled={busy} onClick={onTake}>
          Take
        </Button>
        <Button small kind="quiet" data-leave disabled={busy} onClick={onLeave}>
          Leave
        </Button>
      </span>
    </Note>
  )
}
