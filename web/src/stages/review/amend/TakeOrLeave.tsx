import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { applyAmendmentsQuery } from '@/api/reviews'
import { useWrite } from '@/api/useWrite'
import { saveVersion, useVersion } from '@/api/versions'
import { Button, ErrorLine, Field } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { forgetTyped, useTyped } from '@/parts/typed'
import { AppliedText, ProposalRow } from './ProposalRow'
import { useFrame } from '../../frame'
import { useRunLike } from '../../trials/useRunLike'
import type { Purpose } from './purpose'
import { TryOnCases } from './TryOnCases'

type Props = {
  /** The trial whose answers called for them: its arms and cases are run again. */
  trial: number
  version: number
  purpose: Purpose
  proposed: Schemas['ProposedShape']
  faults: Schemas['FaultShape'][]
  onOpen: (output: number) => void
  onSaved?: () => void
}

/** Each proposal is taken or left on its own, changed if need be; the text and its length follow at once. */
export function TakeOrLeave(props: Props) {
  const { trial, version, purpose, proposed, faults, onOpen, onSaved } = props
  const { brief } = useFrame()
  const navigate = useNavigate()
  const parent = useVersion(brief.id, version)
  const [left, setLeft] = useState<string[]>([])
  const place = `proposals ${brief.id} ${version} ${purpose}`
  const [texts, setTexts] = useTyped<Record<string, string>>(`${place} texts`, {})
  const [note, setNote] = useTyped(`${place} note`, '')
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
            outputs: answered.remarks.map((r) => r.output).filter((o) => o > 0),
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
      (seen.length ? seen : faults.flatMap((f) => f.remarks))
        .filter((r) => r.output > 0)
        .map((r) => [r.case, r.output]),
    ).values(),
  ].slice(0, 3)
  const put = async () => {
    const made = await saveVersion(brief.id, {
      messages: applied.data?.messages ?? [],
      settings: parent.data?.settings ?? {},
      parent: version,
      second_parent: null,
      origin: purpose === 'shorter' ? 'trimmed' : 'amended',
      note: note.trim() || usualNote,
      reasons: applied.data?.reasons ?? [],
    })
    forgetTyped(place)
    return made.number
  }
  const show = (number: number, more = '') => {
    onSaved?.()
    void navigate(`/briefs/${brief.id}/draft?v=${number}&beside=${version}${more}`)
  }
  const save = () => write(async () => show(await put()))
  const run = useRunLike({
    like: trial,
    parent: version,
    save: put,
    onMade: (number) => show(number, '&margin=changes'),
  })
  const ready =
    good.length > 0 && applied.data !== undefined && !applied.isFetching && !!parent.data
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
      {proposed.proposals.map((p) => (
        <ProposalRow
          key={p.id}
          proposal={p}
          text={texts[p.id] ?? p.text}
          left={left.includes(p.id)}
          fault={p.fault === null ? undefined : faults[p.fault - 1]}
          refused={refused.get(p.id)}
          onText={(text) => setTexts({ ...texts, [p.id]: text })}
          onLeft={(out) => setLeft(out ? [...left, p.id] : left.filter((l) => l !== p.id))}
          onOpen={onOpen}
        />
      ))}
      {applied.isError && <ErrorLine>{inWords(applied.error)}</ErrorLine>}
      {applied.data && <AppliedText applied={applied.data} version={version} />}
      {applied.data && parent.data && tried.length > 0 && (
        <TryOnCases
          messages={applied.data.messages}
          settings={parent.data.settings}
          outputs={tried}
          onOpen={onOpen}
        />
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <div className="flex flex-wrap items-end gap-3">
        <Field
          label="Note of the new version"
          className="flex-1"
          placeholder={usualNote}
          maxLength={300}
          value={note}
          onChange={(e) => setNote(e.target.value)}
        />
        <Button
          kind={run.ready ? 'plain' : 'main'}
          disabled={good.length > 0 && !ready}
          lacks={[good.length === 0 && 'every proposal is left out']}
          onClick={() => void save()}
        >
          Save {good.length} of {proposed.proposals.length} as the next version
        </Button>
        {run.ready && (
          <Button
            kind="main"
            disabled={run.disabled || (good.length > 0 && !ready)}
            lacks={[good.length === 0 && 'every proposal is left out']}
            title={run.title}
            onClick={() => run.go()}
          >
            Save and run, {run.price}
          </Button>
        )}
      </div>
    </div>
  )
}
