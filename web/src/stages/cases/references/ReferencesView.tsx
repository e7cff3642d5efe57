import { Link } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { Note } from '@/parts/Margin'
import { Choice, Empty, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { useFrame } from '../../frame'
import { StageGrid } from '../../StageGrid'
import { ReferenceAsked } from './ReferenceAsked'
import { useReferences, type References } from './useReferences'

/** What is right, case by case: read the case, take an answer, change it, or go on; all by key. */
export function ReferencesView({ dataset }: { dataset: Schemas['DatasetShape'] }) {
  const { brief } = useFrame()
  const all = useReferences(brief.id, dataset.id)
  const { page, row } = all
  return (
    <StageGrid margin={<About all={all} />}>
      <Link
        className="text-sm text-action underline underline-offset-2"
        to={`/briefs/${brief.id}/cases?dataset=${dataset.id}`}
      >
        ‹ the cases of {dataset.name}
      </Link>
      <h1 className="mt-1 text-xl">What is right, case by case</h1>
      <Choices all={all} n={dataset.working + dataset.held_out} />
      {page.isError && <ErrorLine>{inWords(page.error)}</ErrorLine>}
      {page.isPending && <Waiting what="the cases" />}
      {page.data && !row && <NoneLeft all={all} />}
      {row && (
        <ReferenceAsked
          key={`${row.revision} ${row.own?.text ?? ''} ${row.reference ?? ''}`}
          all={all}
          row={row}
        />
      )}
    </StageGrid>
  )
}

function Choices({ all, n }: { all: References; n: number }) {
  const told = all.page.data
  return (
    <div className="mt-2 flex flex-wrap items-end gap-x-4 gap-y-2 border-b border-rule-strong pb-2">
      <Choice
        label="Cases"
        className="w-52"
        value={all.which}
        onChange={(e) => all.choose('references', e.target.value)}
      >
        <option value="open">
          {all.two ? 'not written by me' : 'without a reference'}
          {told ? `, ${count(told.n_open)}` : ''}
        </option>
        <option value="differ">to be settled{told ? `, ${count(told.n_differ)}` : ''}</option>
        <option value="all">all {count(n)}</option>
      </Choice>
      <Choice
        label="Begin with the answer of"
        className="w-64"
        value={all.arm ?? ''}
        onChange={(e) => all.choose('start', e.target.value)}
      >
        <option value="">nobody</option>
        {told?.starts.map((s) => (
          <option key={s.arm} value={s.arm}>
            {s.name}
          </option>
        ))}
      </Choice>
      <Choice
        label="Written by"
        className="w-64"
        value={all.two ? 'true' : ''}
        onChange={(e) => all.choose('two', e.target.value)}
      >
        <option value="">me alone</option>
        <option value="true">two people, each by themselves</option>
      </Choice>
    </div>
  )
}

function NoneLeft({ all }: { all: References }) {
  const passed = all.offset
  if (all.which === 'differ')
    return (
      <Empty title="Nothing to settle.">Where two people write differently, it comes here.</Empty>
    )
  return (
    <Empty title={passed > 0 ? 'That was the last case.' : 'Every case has its reference.'}>
      {passed > 0 && (
        <>
          {plural(passed, 'case')} were left as they are.{' '}
          <TextAction onClick={all.again}>Begin again with them</TextAction>
        </>
      )}
    </Empty>
  )
}

/** What is told beside it: how far two agree, and what writing does. */
function About({ all }: { all: References }) {
  const told = all.page.data
  if (!told) return null
  return (
    <div className="grid gap-4">
      <Note tone="inform" title="What writing one does">
        It counts at once: stored answers to the case are scored by it, in every trial, without a
        call. A case may have several right forms; the one that an answer meets best counts.
      </Note>
      {all.two && (
        <Note title="Two people">
          What you write is seen by nobody until somebody else has written the same case. The same
          from both becomes the reference; what differs is settled here.
          {told.n_waiting > 0 && ` ${plural(told.n_waiting, 'case')} of yours wait for the other.`}
        </Note>
      )}
      {told.n_both > 0 && (
        <Note title={`${count(told.n_same)} of ${count(told.n_both)} written alike`}>
          Where two people differ on what is right, no prompt can do better than that.
        </Note>
      )}
      {all.which === 'open' && told.total > 0 && (
        <Note title={`${plural(told.n_open, 'case')} when this list was read`}>
          Skipped ones stay in it.
        </Note>
      )}
    </div>
  )
}
