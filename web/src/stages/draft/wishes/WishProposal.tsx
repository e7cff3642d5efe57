import type { Schemas } from '@/api/client'
import { Button } from '@/parts/controls'

type Props = {
  proposal: Schemas['AmendmentProposal']
  busy: boolean
  onTake: () => void
  onLeave: () => void
}

const WORDS = { amend: 'would read', add: 'would be added', strike: 'would go' } as const

/** One change that grants a wish, with the clause as it is and as it would be. */
export function WishProposal({ proposal, busy, onTake, onLeave }: Props) {
  const { kind, clause, before, text, reason } = proposal
  const words = WORDS[kind]
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-3 border-b border-rule pb-2">
      <div className="min-w-0 font-serif text-sm">
        <p className="font-sans text-xs text-soft">
          {kind === 'add' ? `after § ${clause} ` : `§ ${clause} `}
          {words}. {reason}
        </p>
        {kind !== 'add' && (
          <p className={`break-words whitespace-pre-wrap ${kind === 'strike' ? '' : 'text-soft'}`}>
            <s>{before}</s>
          </p>
        )}
        {kind !== 'strike' && <p className="break-words whitespace-pre-wrap">{text.trim()}</p>}
      </div>
      <span className="flex gap-2 self-start">
        <Button small disabled={busy} onClick={onTake}>
          Take
        </Button>
        <Button small kind="quiet" disabled={busy} onClick={onLeave}>
          Leave
        </Button>
      </span>
    </li>
  )
}
