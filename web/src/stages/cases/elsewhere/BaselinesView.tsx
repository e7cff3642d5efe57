import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { baselinesQuery, changeBaseline, makeBaseline } from '@/api/baselines'
import { inWords, Problem, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { Note } from '@/parts/Margin'
import { Button, ErrorLine, Field, TextAction, Waiting } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useFrame } from '../../frame'
import { StageGrid } from '../../StageGrid'
import { AnswerSheet } from './AnswerSheet'
import { BaselineChoice } from './BaselineChoice'
import { BringIn } from './BringIn'

type Baseline = Schemas['BaselineShape']
type Dataset = Schemas['DatasetShape']

/** Answers that no model here gave: a person's, a former system's; what improvements are held against. */
export function BaselinesView({ dataset }: { dataset: Dataset }) {
  const { brief } = useFrame()
  const [search, setSearch] = useSearchParams()
  const found = useQuery(baselinesQuery(brief.id))
  const own = (found.data ?? []).filter((b) => b.dataset === dataset.id)
  const asked = Number(search.get('answers'))
  const chosen = found.data?.find((b) => b.id === asked) ?? own.find((b) => !b.archived)
  const [making, setMaking] = useState(false)
  const choose = (id: number) => {
    setMaking(false)
    setSearch((now) => {
      now.set('answers', String(id))
      return now
    })
  }
  if (found.isPending)
    return (
      <div className="px-6">
        <Waiting what="the answers" />
      </div>
    )
  return (
    <StageGrid margin={<About dataset={dataset} baseline={chosen} />}>
      <Link
        className="text-sm text-action underline underline-offset-2"
        to={`/briefs/${brief.id}/cases?dataset=${dataset.id}`}
      >
        ‹ the cases of {dataset.name}
      </Link>
      {found.isError && <ErrorLine>{inWords(found.error)}</ErrorLine>}
      {!chosen || making ? (
        <NewBaseline
          dataset={dataset}
          onMade={choose}
          back={chosen ? () => setMaking(false) : null}
        />
      ) : (
        <Open
          key={chosen.id}
          baseline={chosen}
          all={own}
          choose={choose}
          another={() => setMaking(true)}
        />
      )}
    </StageGrid>
  )
}

type OpenProps = {
  baseline: Baseline
  all: Baseline[]
  choose: (id: number) => void
  another: () => void
}

function Open({ baseline, all, choose, another }: OpenProps) {
  const { brief } = useFrame()
  const [bringing, setBringing] = useState(false)
  return (
    <>
      <div className="mt-1 flex flex-wrap items-baseline gap-x-4 gap-y-2">
        <h1 className="min-w-0 text-xl break-words">
          <BaselineChoice {...{ baseline, all, choose, another }} />
        </h1>
        <span className="text-sm text-soft">
          {count(baseline.n_answered)} of {plural(baseline.n_cases, 'case')} answered
        </span>
        <span className="ml-auto flex flex-wrap gap-2">
          <Button onClick={() => setBringing(true)}>Bring in a file…</Button>
          {baseline.n_answered > 0 && (
            <Link
              className="flex h-8 items-center rounded-sm border border-action bg-action px-3 text-sm font-semibold text-paper"
              to={`/briefs/${brief.id}/trials/plan?baseline=${baseline.id}`}
            >
              Hold a version against them…
            </Link>
          )}
        </span>
      </div>
      <AnswerSheet baseline={baseline} />
      <Overlay open={bringing} onOpenChange={setBringing} title="Bring answers in" side>
        {bringing && <BringIn baseline={baseline} />}
      </Overlay>
    </>
  )
}

type NewProps = { dataset: Dataset; onMade: (id: number) => void; back: (() => void) | null }

function NewBaseline({ dataset, onMade, back }: NewProps) {
  const { brief } = useFrame()
  const place = `new baseline ${dataset.id}`
  const [name, setName] = useTyped(place, '')
  const { write, pending, problem } = useWrite([baselinesQuery(brief.id).queryKey])
  const make = () =>
    write(async () => {
      const made = await makeBaseline(brief.id, { dataset: dataset.id, name, note: '' })
      forgetTyped(place)
      onMade(made.id)
    })
  return (
    <form
      className="mt-2 grid max-w-xl gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        void make()
      }}
    >
      <h1 className="text-xl">Answers from elsewhere</h1>
      <p className="font-serif">
        Answers that a person wrote, that the system of today gave, or that stand in a log: typed
        beside the cases or brought in by file. In a trial they stand as an arm beside your
        versions, are scored and compared like any other, and never asked.
      </p>
      <Field
        label="Who or what gave them"
        className="w-80"
        placeholder="by hand, or: as it is today"
        value={name}
        error={problem instanceof Problem && problem.field === 'name' ? inWords(problem) : null}
        onChange={(e) => setName(e.target.value)}
      />
      {problem !== null && !(problem instanceof Problem && problem.field === 'name') && (
        <ErrorLine>{inWords(problem)}</ErrorLine>
      )}
      <div className="flex items-center gap-4">
        <Button kind="main" type="submit" disabled={pending}>
          Begin
        </Button>
        {back && <TextAction onClick={back}>Not now</TextAction>}
      </div>
    </form>
  )
}

function About({ dataset, baseline }: { dataset: Dataset; baseline: Baseline | undefined }) {
  const { brief } = useFrame()
  const { write, problem } = useWrite([baselinesQuery(brief.id).queryKey])
  return (
    <div className="grid gap-4">
      <Note tone="inform" title="What they are for">
        A gain says little before it is known what there is today. Thirty answers by hand are often
        enough to see whether a prompt is worth it.
      </Note>
      {baseline && baseline.n_answered > 0 && baseline.n_answered < baseline.n_cases && (
        <Note title={`${count(baseline.n_cases - baseline.n_answered)} without an answer`}>
          A comparison counts the cases alone that both sides have.
        </Note>
      )}
      <Note title="What is wanted is not shown">
        So that whoever answers does not copy it: {dataset.name} keeps it, and scores by it.
      </Note>
      {baseline && (
        <TextAction
          light
          className="justify-self-start text-sm"
          onClick={() =>
            void write(() => changeBaseline(baseline.id, { archived: !baseline.archived }))
          }
        >
          {baseline.archived ? 'Bring them back' : 'Put them away'}
        </TextAction>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
    </div>
  )
}
