import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { getHeldQuery } from '@/api/twins'
import { Button, Choice, ErrorLine, Waiting } from '@/parts/controls'
import { Note } from '@/parts/Margin'
import { clock, count, inAList, plural } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { Word } from '@/parts/Word'
import { useFrame } from '../../frame'
import { StageGrid } from '../../StageGrid'
import { AskTwins } from './AskTwins'
import { CaseByKind } from './CaseByKind'
import { HeldTable } from './HeldTable'
import { MakeTwins } from './MakeTwins'
import { Pairs } from './Pairs'
import { ReadTwins } from './ReadTwins'
import { WriteTwins } from './WriteTwins'
import { type TwinSet, underWay, useSeen, useTwinSets } from './useTwins'

const PACE_MS = 1500

/** Twins of cases: made, asked, and how the pairs behave. */
export function TwinsStage() {
  const { brief } = useFrame()
  const sets = useTwinSets(brief.id)
  const [seen, look] = useSeen()
  const [making, setMaking] = useState(false)
  const [writing, setWriting] = useState(false)
  const set = sets.data?.find((s) => s.id === seen.set) ?? sets.data?.[0]
  const run = set?.runs.find((r) => r.trial === seen.trial) ?? set?.runs[0]
  const held = useQuery({
    ...getHeldQuery(set?.id ?? 0, run?.trial ?? 0, seen.arm),
    enabled: set !== undefined && run !== undefined,
    placeholderData: (before) => before,
    // By what it says itself: the list may know sooner that the last answer is in.
    refetchInterval: (q) => (q.state.data && underWay(q.state.data.state) ? PACE_MS : false),
    retry: false,
  })
  const opens = (id: number) => {
    setMaking(false)
    setWriting(false)
    look({ set: id, trial: null, arm: null, kind: '', case: null })
  }
  const found = run && held.data?.trial_number === run.number ? held.data : undefined
  return (
    <StageGrid
      margin={
        <TwinsMargin
          set={making ? undefined : set}
          held={making ? undefined : found}
          trial={run?.trial}
        />
      }
    >
      <div className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-1">
        <h1 className="mr-auto text-xl">Does it hold when the input is put differently?</h1>
        <Button onClick={() => setWriting(true)}>Have some written…</Button>
        {set && !making && <Button onClick={() => setMaking(true)}>Make others…</Button>}
      </div>
      <Overlay open={writing} onOpenChange={setWriting} title="Twins written by a model" side>
        {writing && <WriteTwins onMade={opens} />}
      </Overlay>
      {sets.isPending && <Waiting what="the twins" />}
      {sets.isError && <ErrorLine>{inWords(sets.error)}</ErrorLine>}
      {sets.isSuccess && (!set || making) && (
        <MakeTwins onMade={opens} {...(set ? { onBack: () => setMaking(false) } : {})} />
      )}
      {set && !making && (
        <>
          <SetLine set={set} sets={sets.data ?? []} onSet={opens} />
          <ReadTwins key={`read ${set.id}`} set={set} />
          <AskTwins
            key={set.id}
            set={set}
            onAsked={(trial) => look({ set: set.id, trial, arm: null, kind: '', case: null })}
          />
          {run && (
            <RunLine set={set} run={run} onRun={(trial) => look({ trial, arm: null, kind: '' })} />
          )}
          {held.isError && <ErrorLine>{inWords(held.error)}</ErrorLine>}
          {run && found && found.kinds.length > 0 && (
            <>
              <HeldTable held={found} seen={seen} onLook={look} />
              <CaseByKind held={found} onLook={look} />
              <Pairs
                key={`${run.trial} ${seen.arm} ${seen.kind} ${seen.case}`}
                set={set}
                held={found}
                trial={run.trial}
                seen={seen}
                onLook={look}
                onFurther={opens}
              />
            </>
          )}
        </>
      )}
    </StageGrid>
  )
}

type SetLineProps = { set: TwinSet; sets: TwinSet[]; onSet: (id: number) => void }

const nameOf = (s: TwinSet) =>
  `${plural(s.n_twins, 'twin')} of ${plural(s.n_cases, 'case')} of ${s.of}`

function SetLine({ set, sets, onSet }: SetLineProps) {
  return (
    <div className="flex flex-wrap items-baseline gap-x-3 text-sm text-soft">
      {sets.length > 1 ? (
        <Choice
          label="Twins"
          hideLabel
          value={set.id}
          onChange={(e) => onSet(Number(e.target.value))}
        >
          {sets.map((s) => (
            <option key={s.id} value={s.id}>
              {nameOf(s)}, {clock(s.created_at)}
            </option>
          ))}
        </Choice>
      ) : (
        <span>
          {nameOf(set)}, made {clock(set.created_at)}
        </span>
      )}
      {set.n_left > 0 && <span>{plural(set.n_left, 'twin')} left</span>}
    </div>
  )
}

type RunLineProps = {
  set: TwinSet
  run: Schemas['TwinRun']
  onRun: (trial: number) => void
}

/** Which trial is shown, and how far it is. */
function RunLine({ set, run, onRun }: RunLineProps) {
  const { brief } = useFrame()
  return (
    <p className="mt-4 flex flex-wrap items-baseline gap-x-3 border-t border-rule pt-2 text-sm">
      {set.runs.length > 1 ? (
        <Choice
          label="Asked before"
          hideLabel
          value={run.trial}
          onChange={(e) => onRun(Number(e.target.value))}
        >
          {set.runs.map((r) => (
            <option key={r.trial} value={r.trial}>
              Trial {r.number}: {inAList(r.arms)}
            </option>
          ))}
        </Choice>
      ) : (
        <Link
          className="text-action underline underline-offset-2"
          to={`/briefs/${brief.id}/trials/${run.trial}`}
        >
          Trial {run.number}
        </Link>
      )}
      {run.state !== 'complete' && (
        <span role="status" className="text-soft">
          {run.state}: {count(run.done)} of {count(run.of_outputs)} answers are there
        </span>
      )}
    </p>
  )
}

type MarginProps = {
  set: TwinSet | undefined
  held: Schemas['HeldShape'] | undefined
  trial: number | undefined
}

function TwinsMargin({ set, held, trial }: MarginProps) {
  const { brief } = useFrame()
  const obeying = held?.arms.filter((a) => a.obeyed > 0) ?? []
  const versions = [...new Set(obeying.map((a) => a.version))]
  const card = brief.scorecard?.document as { measures?: { measure: string }[] } | undefined
  const measured = card?.measures?.some((m) => m.measure === 'twins') ?? true
  const worst = held?.kinds
    .map((k) => ({ what: k.what, broken: k.cells.reduce((n, c) => n + c.broken, 0) }))
    .sort((a, b) => b.broken - a.broken)[0]
  return (
    <div className="grid gap-4">
      {!set && (
        <Note tone="inform" title="What a twin is">
          A case with its input put differently, and what must become of the answer. Nothing need be
          known of what is right: a misspelt message gets the same answer, a message with another
          name another one, and an order smuggled into the input changes nothing.
        </Note>
      )}
      {versions.length > 0 && (
        <Note
          tone="harm"
          title={`${inAList(versions.map((v) => `v${v}`))} ${versions.length > 1 ? 'follow' : 'follows'} orders in the input`}
        >
          Fence it: marks around the input, and the rule that what stands between them is never an
          instruction.{' '}
          {versions.map((v) => (
            <Link
              key={v}
              className="mr-2 text-action underline underline-offset-2"
              to={`/briefs/${brief.id}/review?view=faults&trial=${trial}&version=${v}`}
            >
              Have it proposed for v{v}
            </Link>
          ))}
          Then ask the same twins again.
        </Note>
      )}
      {worst && worst.broken > 0 && (
        <Note tone="attention" title="Breaks most">
          {worst.what}: {plural(worst.broken, 'pair')}.
        </Note>
      )}
      {set && (
        <Note
          title={
            <>
              How a pair of case and <Word of="twin" /> is judged
            </>
          }
        >
          Answers that are JSON are held field by field, short ones as labels, longer ones by the
          numbers and times they say and half of their words. Of a fact that the answer to the case
          does not say nothing can be told. Twins of one case are related: intervals resample cases.
        </Note>
      )}
      {set && (
        <Note title="Leave what expects the wrong thing">
          A rule does not know the matter. A twin that you leave counts for nothing, also in what
          was asked before.
        </Note>
      )}
      {!measured && (
        <Note title="In every trial">
          The measure <em>twins</em> asks some twins of each case beside its answer: it stands on
          the board, has a threshold, and is watched. <br />
          <Link
            className="text-action underline underline-offset-2"
            to={`/briefs/${brief.id}/brief?measure=twins`}
          >
            Put it into the scorecard
          </Link>
        </Note>
      )}
    </div>
  )
}
