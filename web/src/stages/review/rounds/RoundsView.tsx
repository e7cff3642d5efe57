import { useQuery } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { inWords } from '@/api/client'
import { courseQuery, roundsQuery } from '@/api/rounds'
import { Note } from '@/parts/Margin'
import { Choice, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useFrame } from '../../frame'
import { StageGrid } from '../../StageGrid'
import { Course } from './Course'
import { CourseMargin } from './CourseMargin'
import { StartRounds } from './StartRounds'

// While rounds run, what they do is asked for at this pace: single calls send no event.
const PACE_MS = 1500

/** Automatic rounds: begun here, watched here, and read here when they are over. */
export function RoundsView({ nav }: { nav: ReactNode }) {
  const { brief } = useFrame()
  const [chosen, setChosen] = useState<number | 'new' | null>(null)
  const list = useQuery({
    ...roundsQuery(brief.id),
    refetchInterval: (q) => (q.state.data?.some((r) => r.state === 'running') ? PACE_MS : false),
    staleTime: 0,
  })
  const shown = chosen === 'new' ? null : (chosen ?? list.data?.[0]?.id ?? null)
  const course = useQuery({
    ...courseQuery(shown ?? 0),
    enabled: shown !== null,
    refetchInterval: (q) => (q.state.data?.state === 'running' ? PACE_MS : false),
    staleTime: 0,
  })
  if (list.isPending)
    return (
      <div className="px-6">
        <Waiting what="the rounds" />
      </div>
    )
  if (list.isLoadingError)
    return (
      <div className="p-6">
        <ErrorLine>{inWords(list.error)}</ErrorLine>
      </div>
    )
  const choosing = list.data.length > 0 && (
    <div className="flex items-end gap-3">
      <Choice
        label="Show"
        hideLabel
        className="w-72"
        value={shown ?? ''}
        onChange={(e) => setChosen(Number(e.target.value))}
      >
        {shown === null && <option value="">new rounds</option>}
        {list.data.map((r) => (
          <option key={r.id} value={r.id}>
            rounds {r.number}: from v{r.start}
            {r.best !== r.start ? ` to v${r.best}` : ''} on {r.model}
          </option>
        ))}
      </Choice>
      {shown !== null && (
        <TextAction className="pb-1.5 text-sm" onClick={() => setChosen('new')}>
          Begin new rounds
        </TextAction>
      )}
    </div>
  )
  if (shown === null) {
    return (
      <StageGrid margin={<BeforeStart />}>
        {nav}
        <div className="flex items-end justify-between">
          <h1 className="text-xl">Automatic rounds</h1>
          {choosing}
        </div>
        <StartRounds
          onStarted={(id) => {
            setChosen(id)
            void list.refetch()
          }}
        />
      </StageGrid>
    )
  }
  return (
    <StageGrid margin={course.data ? <CourseMargin course={course.data} /> : null}>
      {nav}
      <div className="flex items-end justify-between gap-4">
        <h1 className="text-xl">
          {course.data
            ? `${plural(course.data.rounds.length, 'round')} from v${course.data.start}`
            : 'Rounds'}
        </h1>
        {choosing}
      </div>
      {course.isError && <ErrorLine>{inWords(course.error)}</ErrorLine>}
      {course.isPending && <Waiting what="the rounds" />}
      {course.data && (
        <Course
          course={course.data}
          onChange={() => void Promise.all([course.refetch(), list.refetch()])}
        />
      )}
    </StageGrid>
  )
}

function BeforeStart() {
  return (
    <div className="grid gap-4">
      <Note title="What a round does">
        It scores the version on every working case, gathers what measures and readers said against
        the answers, has a model propose amendments, makes one to four candidates of them, and runs
        these on the same cases. The best one that beats its parent by more than chance explains
        goes into the next round.
      </Note>
      <Note title="What it does not do">
        It adopts nothing. Every candidate stands in the lineage with its reasons; those that were
        not kept are archived there.
      </Note>
      <Note title="Held-out cases">
        They are run once, at the end, and only if there is something better to check. Each look is
        counted.
      </Note>
    </div>
  )
}
