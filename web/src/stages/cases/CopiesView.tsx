import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { casesOf, copiesQuery, settleCopies } from '@/api/datasets'
import { useWrite } from '@/api/useWrite'
import { Note } from '@/parts/Margin'
import { Button, Empty, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { WordChanges } from '@/parts/WordChanges'

import { useFrame } from '../frame'
import { StageGrid } from '../StageGrid'
import { TakeBack } from './TakeBack'

type Group = Schemas['CopyGroupShape']
type Act = Schemas['CopiesRequest']['act']

const PAGE = 20

/** Copies among the cases, group by group, what tells them apart marked; each is settled in one press. */
export function CopiesView({ dataset }: { dataset: Schemas['DatasetShape'] }) {
  const { brief } = useFrame()
  const cache = useQueryClient()
  const [all, setAll] = useState(false)
  const [offset, setOffset] = useState(0)
  const found = useQuery({
    ...copiesQuery(dataset.id, { which: all ? 'all' : 'open', offset, limit: PAGE }, [
      dataset.version_id,
      dataset.changed,
    ]),
    placeholderData: (former) => former,
    staleTime: 0,
  })
  const { write, pending, problem } = useWrite([...briefKeys(brief.id)])
  const told = found.data
  const settle = (act: Act, groups: number[] | null) =>
    void write(async () => {
      if (!told) return
      await settleCopies(dataset.id, {
        act,
        groups,
        version: told.version,
        changed: told.changed,
      })
      setOffset(0)
      await cache.invalidateQueries({ queryKey: casesOf(dataset.id) })
    })
  return (
    <StageGrid margin={<About found={told} />}>
      <Link
        className="text-sm text-action underline underline-offset-2"
        to={`/briefs/${brief.id}/cases?dataset=${dataset.id}`}
      >
        ‹ the cases of {dataset.name}
      </Link>
      <div className="mt-1 flex flex-wrap items-baseline gap-x-4 gap-y-2">
        <h1 className="text-xl">Copies among the cases</h1>
        <span className="text-sm text-soft">
          {told && `${plural(told.n_open, 'group')} to settle`}
        </span>
        <TakeBack dataset={dataset} />
        <span className="ml-auto flex flex-wrap gap-2">
          {told && told.n_exact > 0 && (
            <Button disabled={pending} onClick={() => settle('exact', null)}>
              Take {plural(told.n_exact, 'exact copy', 'exact copies')} out
            </Button>
          )}
          {told && told.n_open > 0 && (
            <Button kind="main" disabled={pending} onClick={() => settle('source', null)}>
              One source and side for each of {count(told.n_open)}
            </Button>
          )}
        </span>
      </div>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {found.isError && <ErrorLine>{inWords(found.error)}</ErrorLine>}
      {found.isPending && <Waiting what="copies, among many cases a while" />}
      <p className="mt-2 flex flex-wrap items-baseline gap-4 border-b border-rule-strong pb-1 text-sm">
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={all}
            onChange={(e) => {
              setAll(e.target.checked)
              setOffset(0)
            }}
          />
          those settled too
        </label>
        {told && told.total > PAGE && (
          <span className="ml-auto flex items-baseline gap-3">
            <TextAction disabled={offset === 0} onClick={() => setOffset(offset - PAGE)}>
              ‹ before
            </TextAction>
            {count(offset + 1)} to {count(Math.min(told.total, offset + PAGE))} of{' '}
            {count(told.total)}
            <TextAction
              disabled={offset + PAGE >= told.total}
              onClick={() => setOffset(offset + PAGE)}
            >
              after ›
            </TextAction>
          </span>
        )}
      </p>
      {told?.groups.map((g) => (
        <GroupRead
          key={g.key}
          group={g}
          busy={pending || found.isFetching}
          settle={(act) => settle(act, [g.key])}
        />
      ))}
      {told?.groups.length === 0 && (
        <Empty title="No copies to settle.">
          {all ? 'No two cases are nearly alike.' : 'Every group is settled, or there is none.'}
        </Empty>
      )}
    </StageGrid>
  )
}

type GroupProps = { group: Group; busy: boolean; settle: (act: Act) => void }

function GroupRead({ group, busy, settle }: GroupProps) {
  const alike = group.exact ? 'exact copies' : `${Math.floor(group.likeness * 100)} % alike`
  return (
    <section className="border-b border-rule py-3" aria-label={`Group of case ${group.key}`}>
      <div className="flex flex-wrap items-baseline gap-x-4 gap-y-1 text-sm">
        <h2 className="font-sans text-sm font-semibold">
          {plural(group.n, 'case')}, {alike}
        </h2>
        {group.leaks && (
          <span className="text-harm">on both sides: the held-out ones prove nothing</span>
        )}
        {group.references_differ && (
          <span className="text-attention-text">different things are wanted of them</span>
        )}
        {group.settled ? (
          <span className="text-soft">
            {group.settled === 'kept' ? 'kept as they are' : 'one source, one side'}
          </span>
        ) : (
          <span className="ml-auto flex flex-wrap gap-4">
            <TextAction disabled={busy} onClick={() => settle('source')}>
              One source and side
            </TextAction>
            <TextAction disabled={busy} onClick={() => settle('one')}>
              Remove all but one
            </TextAction>
            <TextAction disabled={busy} onClick={() => settle('keep')}>
              Keep them as they are
            </TextAction>
          </span>
        )}
      </div>
      <ul className="mt-1">
        {group.cases.map((c, i) => (
          <li
            key={c.revision}
            className="grid grid-cols-[2.5rem_minmax(0,1fr)_10rem] gap-x-3 py-0.5 text-sm"
          >
            <span className="font-mono text-xs text-soft">{c.number}</span>
            <span className="min-w-0 break-words whitespace-pre-wrap">
              {c.values
                .filter((v) => i === 0 || !v.same)
                .map((v) => (
                  <span key={v.column} className="block">
                    {c.values.length > 1 && <span className="text-xs text-soft">{v.column} </span>}
                    <WordChanges words={v.words} whole={i === 0} />
                  </span>
                ))}
              {i > 0 && c.values.every((v) => v.same) && (
                <span className="text-soft">says the same</span>
              )}
            </span>
            <span className="min-w-0 truncate text-xs text-soft" title={c.reference ?? ''}>
              {c.split === 'held-out' ? 'held out' : 'working'}
              {c.source && ` · ${c.source}`}
              {c.reference !== null && (
                <span className="block truncate font-mono">{c.reference}</span>
              )}
            </span>
          </li>
        ))}
      </ul>
      {group.n > group.cases.length && (
        <p className="text-xs text-soft">
          and {count(group.n - group.cases.length)} more like them
        </p>
      )}
    </section>
  )
}

function About({ found }: { found: Schemas['CopiesShape'] | undefined }) {
  return (
    <div className="grid gap-4">
      <Note tone="inform" title="Why copies matter">
        What stands twice counts twice: an arm that gets it right is helped twice. And a held-out
        case that is nearly a working one proves nothing.
      </Note>
      <Note title="One source and side">
        They count together as about one case in every comparison. Where one of them is a working
        case, all become working: a copy of what was tuned on is no proof.
      </Note>
      <Note title="All but one removed">
        The first with a reference stays. It can be taken back with one press; trials keep what they
        ran on.
      </Note>
      {found && found.n_exact > 0 && (
        <Note tone="attention" title={`${plural(found.n_exact, 'exact copy', 'exact copies')}`}>
          They say character by character what another case says.
        </Note>
      )}
    </div>
  )
}
