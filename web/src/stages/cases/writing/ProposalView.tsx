import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { Area, Button, Field } from '@/parts/controls'
import { useTyped } from '@/parts/typed'

type Proposal = Schemas['ProposalShape']
export type Standing = 'taken' | 'left'
type Props = {
  proposal: Proposal
  place: number
  standing: Standing | null
  /** Where what is changed in it is kept for a reload. */
  kept: string
  onTake: (edited: Proposal) => void
  onLeave: () => void
}

/** One proposed case: taken as it is or changed, or left. */
export function ProposalView({ proposal, place, standing, kept, onTake, onLeave }: Props) {
  const [values, setValues] = useTyped(`${kept} values`, proposal.values)
  const [reference, setReference] = useTyped(`${kept} reference`, proposal.reference ?? '')
  const [tags, setTags] = useTyped(`${kept} tags`, proposal.tags.join('; '))
  const [editing, setEditing] = useState(false)
  const edited = {
    ...proposal,
    values,
    reference: reference === '' ? null : reference,
    tags: tags
      .split(';')
      .map((t) => t.trim())
      .filter(Boolean),
  }
  const copy =
    proposal.near_case !== null
      ? `case ${proposal.near_case}`
      : proposal.near_proposal !== null
        ? `proposal ${proposal.near_proposal + 1}`
        : null
  return (
    <article
      aria-label={`Proposal ${place}`}
      data-standing={standing ?? 'open'}
      className="grid gap-1.5 border-l-2 border-rule-strong pl-3 data-[standing=left]:text-soft data-[standing=taken]:border-action"
    >
      {copy && (
        <p className="text-xs font-semibold text-attention-text">
          Nearly {copy} again
          {proposal.likeness !== null && ` (likeness ${proposal.likeness.toFixed(2)})`}
        </p>
      )}
      {editing ? (
        <>
          {Object.entries(values).map(([name, text]) => (
            <Area
              key={name}
              label={name}
              rows={3}
              className="[&_textarea]:font-serif [&_textarea]:text-base"
              value={text}
              onChange={(e) => setValues({ ...values, [name]: e.target.value })}
            />
          ))}
          <Area
            label="Reference; empty for none"
            rows={2}
            className="[&_textarea]:font-mono"
            value={reference}
            onChange={(e) => setReference(e.target.value)}
          />
          <Field
            label="Tags, parted by semicolons"
            value={tags}
            onChange={(e) => setTags(e.target.value)}
          />
        </>
      ) : (
        <>
          {Object.entries(values).map(([name, text]) => (
            <p key={name} className="font-serif text-base break-words whitespace-pre-wrap">
              {Object.keys(values).length > 1 && (
                <span className="font-sans text-xs text-soft">{name} </span>
              )}
              {text}
            </p>
          ))}
          <p className="text-xs text-soft">
            reference{' '}
            <span className={`font-mono ${standing === 'left' ? '' : 'text-ink'}`}>
              {reference || 'none'}
            </span>
            {edited.tags.length > 0 && `, ${edited.tags.join('; ')}`}
          </p>
        </>
      )}
      <div className="flex items-center gap-2">
        {standing === null ? (
          <>
            <Button small onClick={() => onTake(edited)}>
              Take it
            </Button>
            <Button small onClick={() => setEditing(!editing)}>
              {editing ? 'Done changing' : 'Change it'}
            </Button>
            <Button small kind="quiet" onClick={onLeave}>
              Leave it
            </Button>
          </>
        ) : (
          <span className="text-xs text-soft">
            {standing === 'taken' ? 'Taken, as a working case' : 'Left'}
          </span>
        )}
      </div>
    </article>
  )
}
