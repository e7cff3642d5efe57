import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { applyAmendmentsQuery } from '@/api/reviews'
import { useWrite } from '@/api/useWrite'
import { saveVersion, useVersion } from '@/api/versions'
import { Area, Button, ErrorLine, Field, TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useFrame } from '../../BriefFrame'
import type { Purpose } from './Proposing'
import { TryOnCases } from './TryOnCases'

type Proposal = Schemas['AmendmentProposal']
type Props = {
  version: number
  purpose: Purpose
  proposed: Schemas['ProposedShape']
  faults: Schemas['FaultShape'][]
  onOpen: (output: number) => void
  onSaved?: () => void
}

const KINDS: Record<Proposal['kind'], string> = { add: 'added', amend: 'amended', strike: 'struck' }

/** Each proposal is taken or left on its own, changed if need be; the text and its length follow at once. */
export function TakeOrLeave({ version, purpose, proposed, faults, onOpen, onSaved }: Props) {
  const { brief } = useFrame()
  const navigate = useNavigate()
  const parent = useVersion(brief.id, version)
  const [left, setLeft] = useState<string[]>([])
  const [texts, setTexts] = useState<Record<string, string>>({})
  const [editing, setEditing] = useState<string | null>(null)
  const [note, setNote] = useState('')
  const { write, problem } = useWrite([...briefKeys(brief.id)])
  const taken = proposed.proposals
    .filter((p) => !left.includes(p.id))
    .map((p) => ({ ...p, text: texts[p.id] ?? p.text }))
  const rows = taken.map(({ id, kind, clause, text, reason, fault }) => {
    const answered = fault === null ? undefined : faults[fault - 1]
    return {
      id,
      kind,
      clause,
      text,
      reason,
      fault: answered
        ? {
            label: answered.label,
            title: answered.title,
            cases: answered.cases,
            outputs: answered.remarks.map((r) => r.output),
          }
        : null,
    }
  })
  const applied = useQuery({
    ...applyAmendmentsQuery(brief.id, { version, proposals: rows }),
    placeholderData: (former) => former,
  })
  const refused = new Map((applied.data?.refused ?? []).map((r) => [r.id, r.reason]))
  const good = taken.filter((p) => !refused.has(p.id))
  const usualNote = `${plural(good.length, 'amendment')} ${purpose === 'shorter' ? `that shorten v${version}` : `from what was said of v${version}`}`
  const seen = good.flatMap((p) => (p.fault === null ? [] : (faults[p.fault - 1]?.remarks ?? [])))
  const tried = [
    ...new Map(
      (seen.length ? seen : faults.flatMap((f) => f.remarks)).map((r) => [r.case, r.output]),
    ).values(),
  ].slice(0, 3)
  const save = async () => {
    if (!applied.data || !parent.data) return
    await write(async () => {
      const made = await saveVersion(brief.id, {
        messages: applied.data.messages,
        settings: parent.data.settings,
        parent: version,
        second_parent: null,
        origin: purpose === 'shorter' ? 'trimmed' : 'amended',
        note: note.trim() || usualNote,
        reasons: applied.data.reasons,
      })
      onSaved?.()
      void navigate(`/briefs/${brief.id}/draft?v=${made.number}&beside=${version}`)
    })
  }
  const longer = (applied.data?.tokens_after ?? 0) - (applied.data?.tokens_before ?? 0)
  return (
    <div className="grid gap-3 border-t border-rule pt-3">
      <h2 className="text-lg">{plural(proposed.proposals.length, 'proposal')}</h2>
      {proposed.refused.length > 0 && (
        <div className="border-l-2 border-harm pl-3 text-sm">
          <p className="font-semibold text-harm">
            {plural(proposed.refused.length, 'proposal')} refused
          </p>
          {proposed.refused.map((r) => (
            <p key={r.place}>
              No. {r.place}: {r.reason}.
            </p>
          ))}
        </div>
      )}
      {proposed.proposals.map((p) => {
        const fault = p.fault === null ? undefined : faults[p.fault - 1]
        const out = left.includes(p.id)
        const text = texts[p.id] ?? p.text
        return (
          <article
            key={p.id}
            aria-label={`Proposal ${p.id}`}
            className={`grid grid-cols-[minmax(0,1fr)_15rem] gap-4 border-b border-rule pb-3 ${out ? 'text-soft' : ''}`}
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
              {editing === p.id ? (
                <Area
                  label="As it shall read"
                  rows={3}
                  className="[&_textarea]:font-serif [&_textarea]:text-base"
                  value={text}
                  onChange={(e) => setTexts({ ...texts, [p.id]: e.target.value })}
                />
              ) : (
                p.kind !== 'strike' && (
                  <p
                    className={`font-serif text-base break-words whitespace-pre-wrap ${out ? '' : 'bg-wash-action'}`}
                  >
                    {text}
                  </p>
                )
              )}
              {refused.has(p.id) && (
                <p role="alert" className="text-xs text-harm">
                  Not taken: {refused.get(p.id)}.
                </p>
              )}
              <div className="mt-1.5 flex items-center gap-2">
                <Button
                  small
                  aria-pressed={!out}
                  onClick={() => setLeft(out ? left.filter((l) => l !== p.id) : [...left, p.id])}
                >
                  {out ? 'Take it' : 'Leave it'}
                </Button>
                {p.kind !== 'strike' && !out && (
                  <Button small onClick={() => setEditing(editing === p.id ? null : p.id)}>
                    {editing === p.id ? 'Done' : 'Change it'}
                  </Button>
                )}
                <span className="text-xs text-soft">{out ? 'left' : 'taken'}</span>
              </div>
            </div>
            <div className="border-l-2 border-attention pl-2.5 text-sm">
              <p className="font-serif">{p.reason}</p>
              {fault && (
                <p className="mt-1 text-xs text-soft">
                  Fault {p.fault}, {plural(fault.cases, 'case')}:{' '}
                  {fault.remarks.slice(0, 4).map((r, i) => (
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
      })}
      {applied.isError && <ErrorLine>{inWords(applied.error)}</ErrorLine>}
      {applied.data && (
        <section>
          <h3 className="mb-1 text-base">
            The text with what is taken{' '}
            <span className="font-sans text-sm font-normal text-soft">
              about {applied.data.tokens_after} tokens,{' '}
              {longer === 0
                ? 'as before'
                : `${Math.abs(longer)} ${longer > 0 ? 'more' : 'fewer'} than v${version}`}
            </span>
          </h3>
          {applied.data.messages.map((m, i) => (
            <div key={i} className="mb-2">
              <p className="text-xs text-soft">{m.role}</p>
              <p className="border-l-2 border-rule-strong pl-3 font-serif text-base break-words whitespace-pre-wrap">
                {m.content}
              </p>
            </div>
          ))}
        </section>
      )}
      {applied.data && parent.data && tried.length > 0 && (
        <TryOnCases
          messages={applied.data.messages}
          settings={parent.data.settings}
          outputs={tried}
          onOpen={onOpen}
        />
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <div className="flex items-end gap-3">
        <Field
          label="Note of the new version"
          className="flex-1"
          placeholder={usualNote}
          maxLength={300}
          value={note}
          onChange={(e) => setNote(e.target.value)}
        />
        <Button
          kind="main"
          disabled={good.length === 0 || !applied.data || applied.isFetching}
          onClick={() => void save()}
        >
          Save {good.length} of {proposed.proposals.length} as the next version
        </Button>
      </div>
    </div>
  )
}
