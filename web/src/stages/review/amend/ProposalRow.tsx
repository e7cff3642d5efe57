import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { Area, Button, TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'

type Proposal = Schemas['AmendmentProposal']

const KINDS: Record<Proposal['kind'], string> = { add: 'added', amend: 'amended', strike: 'struck' }

type Props = {
  proposal: Proposal
  /** As it shall read now. */
  text: string
  left: boolean
  fault: Schemas['FaultShape'] | undefined
  /** Why it cannot be taken, if so. */
  refused: string | undefined
  onText: (text: string) => void
  onLeft: (left: boolean) => void
  onOpen: (output: number) => void
}

/** One proposal: what it changes, why, and the choice to take it, leave it or word it otherwise. */
export function ProposalRow(props: Props) {
  const { proposal: p, text, left, fault, refused, onText, onLeft, onOpen } = props
  const [editing, setEditing] = useState(false)
  return (
    <article
      aria-label={`Proposal ${p.id}`}
      className={`grid grid-cols-[minmax(0,1fr)_15rem] gap-4 border-b border-rule pb-3 ${left ? 'text-soft' : ''}`}
    >
      <div className="min-w-0">
        <p className="text-xs text-soft">
          {p.kind === 'add' && p.clause === 0
            ? 'added before §1'
            : p.kind === 'add'
              ? `added after §${p.clause}`
              : `§${p.clause} ${KINDS[p.kind]}`}
          {p.repaired && `; ${p.repaired}`}
        </p>
        {p.kind !== 'add' && (
          <p className="font-serif text-base break-words line-through decoration-harm">
            {p.before}
          </p>
        )}
        {editing ? (
          <Area
            label="As it shall read"
            rows={3}
            className="[&_textarea]:font-serif [&_textarea]:text-base"
            value={text}
            onChange={(e) => onText(e.target.value)}
          />
        ) : (
          p.kind !== 'strike' && (
            <p
              className={`font-serif text-base break-words whitespace-pre-wrap ${left ? '' : 'bg-wash-action'}`}
            >
              {text}
            </p>
          )
        )}
        {refused !== undefined && (
          <p role="alert" className="text-xs text-harm">
            Not taken: {refused}.
          </p>
        )}
        <div className="mt-1.5 flex items-center gap-2">
          <Button small aria-pressed={!left} onClick={() => onLeft(!left)}>
            {left ? 'Take it' : 'Leave it'}
          </Button>
          {p.kind !== 'strike' && !left && (
            <Button small onClick={() => setEditing(!editing)}>
              {editing ? 'Done' : 'Change it'}
            </Button>
          )}
          <span className="text-xs text-soft">{left ? 'left' : 'taken'}</span>
        </div>
      </div>
      <div className="border-l-2 border-attention pl-2.5 text-sm">
        <p className="font-serif">{p.reason}</p>
        {fault && (
          <p className="mt-1 text-xs text-soft">
            Fault {p.fault}, {plural(fault.cases, 'case')}:{' '}
            {fault.remarks
              .filter((r) => r.output > 0)
              .slice(0, 4)
              .map((r, i) => (
                <span key={r.output}>
                  {i > 0 && ', '}
                  <TextAction light onClick={() => onOpen(r.output)}>
                    {r.case}
                  </TextAction>
                </span>
              ))}
          </p>
        )}
      </div>
    </article>
  )
}

type AppliedProps = { applied: Schemas['AppliedShape']; version: number }

/** The whole text with what is taken, and how much longer it became. */
export function AppliedText({ applied, version }: AppliedProps) {
  const longer = applied.tokens_after - applied.tokens_before
  return (
    <section>
      <h3 className="mb-1 text-base">
        The text with what is taken{' '}
        <span className="font-sans text-sm font-normal text-soft">
          about {applied.tokens_after} tokens,{' '}
          {longer === 0
            ? 'as before'
            : `${Math.abs(longer)} ${longer > 0 ? 'more' : 'fewer'} than v${version}`}
        </span>
      </h3>
      {applied.messages.map((m, i) => (
        <div key={i} className="mb-2">
          <p className="text-xs text-soft">{m.role}</p>
          <p className="border-l-2 border-rule-strong pl-3 font-serif text-base break-words whitespace-pre-wrap">
            {m.content}
          </p>
        </div>
      ))}
    </section>
  )
}
