import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { grantWishes } from '@/api/wishes'
import { useWrite } from '@/api/useWrite'
import { ConsultationPanel } from '@/parts/consult/ConsultationPanel'
import { useConsultation } from '@/parts/consult/useConsultation'
import { Button, ErrorLine } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useFrame } from '../../frame'
import { WishProposal } from './WishProposal'

type Row = { role: string; content: string; step: string | null }
type Props = {
  messages: Row[]
  wishes: string[]
  onTaken: (made: Schemas['WishesShape']) => void
}

/** The same wishes put to a model; the price is told before, and nothing is taken unread. */
export function WishModel({ messages, wishes, onTaken }: Props) {
  const { brief } = useFrame()
  const about = { brief: brief.id, messages, wishes }
  const consulting = useConsultation('wishes', about, brief.id)
  const asked = consulting.current?.about
  const same = asked !== undefined && JSON.stringify(asked['messages']) === JSON.stringify(messages)
  return (
    <div className="mt-3">
      <ConsultationPanel
        consulting={consulting}
        who="Model that proposes"
        action={`Propose changes for ${plural(wishes.length, 'wish', 'wishes')}`}
        lacks={[wishes.length === 0 && 'no wish is there']}
      >
        {(reading, found) => (
          <Chosen
            key={found.id}
            proposals={reading.amendments ?? []}
            wishes={(asked?.['wishes'] as string[] | undefined) ?? wishes}
            messages={messages}
            same={same}
            onTaken={(made) => {
              onTaken(made)
              void consulting.close(found.id, 'taken')
            }}
          />
        )}
      </ConsultationPanel>
    </div>
  )
}

type ChosenProps = {
  proposals: Schemas['AmendmentProposal'][]
  wishes: string[]
  messages: Row[]
  same: boolean
  onTaken: (made: Schemas['WishesShape']) => void
}

/** A model's proposals: those that are not left go into the text together. */
function Chosen({ proposals, wishes, messages, same, onTaken }: ChosenProps) {
  const { brief } = useFrame()
  const [left, setLeft] = useState<string[]>([])
  const { write, pending, problem } = useWrite()
  const rows = proposals.map(({ id, kind, clause, text, reason, fault }) => {
    const wish = fault === null ? undefined : wishes[fault - 1]
    return { id, kind, clause, text, reason: wish ? `Wished: ${wish}` : reason }
  })
  const put = (take: string[]) =>
    void write(async () =>
      onTaken(await grantWishes(brief.id, { messages, wishes, take, proposed: rows })),
    )
  const kept = rows.filter((r) => !left.includes(r.id))
  const ungranted = wishes.filter((_, n) => !proposals.some((p) => p.fault === n + 1))
  return (
    <div className="grid gap-2">
      <ol className="grid gap-2" aria-label="Proposed by a model">
        {proposals
          .filter((p) => !left.includes(p.id))
          .map((p) => (
            <WishProposal
              key={p.id}
              proposal={{ ...p, reason: rows.find((r) => r.id === p.id)?.reason ?? p.reason }}
              busy={pending || !same}
              onTake={() => put([p.id])}
              onLeave={() => setLeft([...left, p.id])}
            />
          ))}
      </ol>
      {ungranted.length > 0 && (
        <p className="text-sm text-soft">Left by the model: {ungranted.join('; ')}.</p>
      )}
      {!same && (
        <p className="text-sm text-harm">
          The text was changed since it was asked about: ask again, or undo the change.
        </p>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {kept.length > 1 && (
        <Button
          className="justify-self-start"
          disabled={pending}
          lacks={[!same && 'the text was changed since it was asked about']}
          onClick={() => put(kept.map((r) => r.id))}
        >
          Take all {kept.length}
        </Button>
      )}
    </div>
  )
}
