import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { briefKeys, changeBrief } from '@/api/briefs'
import { inWords } from '@/api/client'
import { readDraftQuery } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { useVersion } from '@/api/versions'
import { Note } from '@/parts/Margin'
import { changedMeanwhile, Meanwhile } from '@/parts/Meanwhile'
import { Area, Button, Choice, ErrorLine, Field } from '@/parts/controls'
import { inAList } from '@/parts/numbers'
import { asText } from '@/parts/text'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useFrame } from '../frame'
import { StageGrid } from '../StageGrid'
import type { Card } from './scorecard/card'
import { CardTable } from './scorecard/CardTable'
import { ScorecardForm } from './scorecard/ScorecardForm'
import { WhatCounts } from './WhatCounts'
import { Word } from '@/parts/Word'

const TASKS = ['classify', 'extract', 'summarise', 'rewrite', 'write', 'converse', 'other']

/** Brief: the job in words, and what counts as good. */
export function BriefStage() {
  const { brief } = useFrame()
  return (
    <StageGrid margin={<BriefMargin />}>
      <JobForm key={brief.id} />
      <ScorecardPart key={`card-${brief.scorecard?.id ?? 0}`} />
    </StageGrid>
  )
}

function BriefMargin() {
  const { brief } = useFrame()
  return (
    <div className="grid gap-4">
      {!brief.job && (
        <Note tone="attention" title="The job is not stated">
          Say what goes in, what must come out, for whom, in what tone and format, what is forbidden
          and what counts as good.
        </Note>
      )}
      <Unseen />
      <Note title="How a total is made">
        The total is the weighted mean of the measures, from 0 to 1. What <Word of="must pass" />{' '}
        and does not makes it 0. A cut, declined or empty answer scores 0; a failed call is missing,
        never 0.
      </Note>
      <Note title="The margin of a scorecard">
        Differences within the <Word of="margin" /> do not matter to you. It fixes how many cases a
        comparison needs, so choose it before you look.
      </Note>
    </div>
  )
}

/** What the scorecard does not see of the version in hand. */
function Unseen() {
  const { brief, inHand } = useFrame()
  const version = useVersion(brief.id, inHand).data
  const read = useQuery({
    ...readDraftQuery(
      brief.id,
      {
        messages: version?.messages ?? [],
        settings: version?.settings ?? {},
        parent: null,
      },
      brief.scorecard?.id ?? null,
    ),
    enabled: version !== undefined && brief.scorecard !== null,
  })
  const unseen = read.data?.unseen ?? []
  if (unseen.length === 0 || !version) return null
  return (
    <Note tone="attention" title={`What the score of v${version.number} does not see`}>
      No measure looks at {inAList(unseen)}. What is asked for and not checked is beside the text in
      Draft, under <em>How it is read</em>: one press checks it.
    </Note>
  )
}

function JobForm() {
  const { brief } = useFrame()
  const place = `brief ${brief.id}`
  const [name, setName] = useTyped(`${place} name`, brief.name)
  const [job, setJob] = useTyped(`${place} job`, brief.job)
  const [task, setTask] = useTyped(`${place} task`, brief.task)
  const { write, problem, clear } = useWrite(briefKeys(brief.id))
  // What this form showed when it was opened, or was saved last.
  const [seen, setSeen] = useTyped<Record<string, unknown>>(`${place} seen`, {
    name: brief.name,
    job: brief.job,
    task: brief.task,
  })
  const changed = name !== seen.name || job !== seen.job || task !== seen.task
  const save = (over: Record<string, unknown> = seen) =>
    write(async () => {
      await changeBrief(brief.id, { name, job, task, seen: over })
      setSeen({ name, job, task })
      forgetTyped(place)
    })
  const now = changedMeanwhile(problem)
  return (
    <form
      className="max-w-3xl"
      onSubmit={(e) => {
        e.preventDefault()
        void save()
      }}
    >
      <div className="mb-3 flex items-center justify-between">
        <h1 className="text-xl">The job</h1>
        <Button kind="main" type="submit" lacks={[!changed && 'nothing was changed']}>
          Save the brief
        </Button>
      </div>
      <div className="grid gap-3">
        <div className="grid grid-cols-[1fr_12rem] gap-3">
          <Field label="Name" value={name} onChange={(e) => setName(e.target.value)} />
          <Choice label="Kind of task" value={task} onChange={(e) => setTask(e.target.value)}>
            {TASKS.map((t) => (
              <option key={t}>{t}</option>
            ))}
          </Choice>
        </div>
        <Area
          label="What goes in, what must come out, for whom, in what tone and format, what is forbidden, what counts as good"
          rows={6}
          className="[&_textarea]:font-serif [&_textarea]:text-base"
          value={job}
          onChange={(e) => setJob(e.target.value)}
        />
        {now && (
          <Meanwhile
            now={now}
            mine={{ name, job, task }}
            names={{ name: 'Name', job: 'Job', task: 'Kind of task' }}
            onMine={(theirs) => void save(theirs)}
            onTheirs={(theirs) => {
              setName(asText(theirs.name))
              setJob(asText(theirs.job))
              setTask(asText(theirs.task))
              setSeen(theirs)
              clear()
            }}
          />
        )}
        {problem !== null && !now && <ErrorLine>{inWords(problem)}</ErrorLine>}
      </div>
    </form>
  )
}

function ScorecardPart() {
  const { brief } = useFrame()
  const [search, setSearch] = useSearchParams()
  const also = search.get('measure')
  const [editing, setEditing] = useState(also !== null)
  const card = brief.scorecard?.document as Card | undefined
  const done = () => {
    setEditing(false)
    setSearch({}, { replace: true })
  }
  return (
    <section className="mt-8 max-w-3xl border-t border-rule pt-4">
      <div className="flex items-center justify-between">
        <h2 className="text-xl">
          <Word of="scorecard">
            {brief.scorecard ? `Scorecard ${brief.scorecard.number}` : 'What counts'}
          </Word>
        </h2>
        {!editing && card && <Button onClick={() => setEditing(true)}>Change…</Button>}
      </div>
      {editing ? (
        <ScorecardForm card={card} also={also} onDone={done} />
      ) : card ? (
        <CardTable card={card} />
      ) : (
        <WhatCounts onWrite={() => setEditing(true)} />
      )}
    </section>
  )
}
