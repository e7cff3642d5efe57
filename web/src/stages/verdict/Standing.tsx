import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { inWords, Problem, sentence, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { askAgain, standingQuery, startWatch, stopWatch, watchPowerQuery } from '@/api/verdicts'
import { Note } from '@/parts/Margin'
import { Button, ErrorLine, Field, TextAction } from '@/parts/controls'
import { plural, signed } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { useFrame } from '../frame'

type Watch = Schemas['WatchShape']

const PACE_MS = 1500
const OPEN = ['queued', 'running']
const LATEST = 3

function useStanding(brief: number) {
  return useQuery({
    ...standingQuery(brief),
    refetchInterval: (q) =>
      q.state.data?.watch?.checks.some((c) => OPEN.includes(c.state)) ? PACE_MS : false,
    staleTime: 0,
  })
}

/** What later trials, or the watch, say against what is adopted. */
export function Notices() {
  const { brief } = useFrame()
  const standing = useStanding(brief.id)
  if (standing.isLoadingError) return <ErrorLine>{inWords(standing.error)}</ErrorLine>
  return standing.data?.notices.map((n) => (
    <Note
      key={n.kind + n.trial}
      tone="harm"
      title={
        n.kind === 'drift'
          ? 'What is adopted has drifted'
          : 'A later trial speaks against what is adopted'
      }
    >
      {n.words}{' '}
      <Link
        className="font-sans text-xs font-semibold text-action underline underline-offset-2"
        to={
          n.kind === 'drift'
            ? `/briefs/${brief.id}/trials/${n.trial}`
            : `/briefs/${brief.id}/verdict?trial=${n.trial}`
        }
      >
        Trial {n.trial_number}
      </Link>
    </Note>
  ))
}

/** The watch over the adopted arm, or the way to begin one. */
export function WatchOver() {
  const { brief } = useFrame()
  const standing = useStanding(brief.id)
  if (!standing.data || standing.data.verdict === null) return null
  const { watch, verdict, n_cases: cases } = standing.data
  return watch ? (
    <Watched watch={watch} verdict={verdict} cases={cases} />
  ) : (
    <KeepWatch verdict={verdict} cases={cases} first />
  )
}

function Watched({ watch, verdict, cases }: { watch: Watch; verdict: number; cases: number }) {
  const { brief } = useFrame()
  const cache = useQueryClient()
  const { write, problem } = useWrite()
  const [all, setAll] = useState(false)
  const act = (what: 'ask' | 'stop') =>
    write(async () => {
      const now = await (what === 'ask' ? askAgain(watch.id) : stopWatch(watch.id))
      cache.setQueryData(standingQuery(brief.id).queryKey, now)
    })
  const latest = [...watch.checks].reverse()
  const running = watch.checks.some((c) => OPEN.includes(c.state))
  const pace =
    watch.every_days === null
      ? 'on demand'
      : watch.every_days === 1
        ? 'every day'
        : `every ${watch.every_days} days`
  const ended = watch.stopped ? 'stopped' : watch.over ? 'all planned checks are used' : null
  return (
    <Note
      tone={watch.drifted ? 'harm' : 'inform'}
      title={
        <>
          Watch{' '}
          <span className="font-normal text-soft">
            {watch.used} of {plural(watch.planned, 'check')}, {ended ?? pace}
          </span>
        </>
      }
    >
      {(all ? latest : latest.slice(0, LATEST)).map((c) => (
        <Check key={c.number} check={c} />
      ))}
      {latest.length > LATEST && !all && (
        <TextAction className="block font-sans text-xs" onClick={() => setAll(true)}>
          All {watch.checks.length}
        </TextAction>
      )}
      {watch.trouble && (
        <span className="block font-sans text-xs text-harm">
          Not asked: {sentence(watch.trouble)}
        </span>
      )}
      <span className="mt-1 flex flex-wrap gap-x-3 font-sans text-xs">
        {!ended && (
          <TextAction
            disabled={running}
            className="disabled:opacity-60"
            onClick={() => void act('ask')}
          >
            {running ? 'Being asked…' : 'Check now'}
          </TextAction>
        )}
        {!ended && (
          <TextAction light onClick={() => void act('stop')}>
            Stop
          </TextAction>
        )}
        {ended && <KeepWatch verdict={verdict} cases={cases} />}
        {watch.next_at && (
          <span className="text-soft">
            next {new Date(watch.next_at).toLocaleDateString('en-GB', { dateStyle: 'medium' })}
          </span>
        )}
      </span>
      {problem !== null && (
        <span className="block font-sans text-xs text-harm">{inWords(problem)}</span>
      )}
    </Note>
  )
}

function Check({ check }: { check: Schemas['WatchCheckShape'] }) {
  const { brief } = useFrame()
  const span =
    check.score?.change != null
      ? `score ${signed(check.score.change)} (${signed(check.score.low)} to ${signed(check.score.high)})`
      : undefined
  return (
    <span className="mb-1 block" title={span}>
      <Link
        className="font-sans text-xs text-soft underline underline-offset-2"
        to={`/briefs/${brief.id}/trials/${check.trial}`}
      >
        {new Date(check.at).toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })}
      </Link>{' '}
      {check.words
        ? sentence(check.words)
        : OPEN.includes(check.state)
          ? 'Running.'
          : `${sentence(check.state)}`}
      {check.changed_identity && (
        <strong className="text-attention-text">
          {' '}
          The server now calls the model {check.identity.join(', ') || 'nothing'}.
        </strong>
      )}
    </span>
  )
}

/** How many cases, how often and how many times: the 5 % of false alarms is shared by that many checks. */
function KeepWatch({ verdict, cases, first }: { verdict: number; cases: number; first?: boolean }) {
  const { brief } = useFrame()
  const cache = useQueryClient()
  const [open, setOpen] = useState(false)
  const [sample, setSample] = useState(String(Math.min(60, cases)))
  const [planned, setPlanned] = useState('12')
  const [days, setDays] = useState('7')
  const { write, problem } = useWrite()
  const power = useQuery({
    ...watchPowerQuery(verdict, { cases: Number(sample) || 0, planned: Number(planned) || 0 }),
    enabled: open,
    placeholderData: (former) => former,
  })
  const wrong = (field: string) =>
    problem instanceof Problem && problem.field === field ? inWords(problem) : null
  const start = () =>
    write(async () => {
      const now = await startWatch(verdict, {
        cases: Number(sample) || 0,
        planned: Number(planned) || 0,
        every_days: days.trim() ? Number(days) || 0 : null,
      })
      cache.setQueryData(standingQuery(brief.id).queryKey, now)
      setOpen(false)
    })
  const open_ = (
    <TextAction className="font-sans text-xs" onClick={() => setOpen(true)}>
      {first ? 'Keep watch…' : 'Begin another…'}
    </TextAction>
  )
  return (
    <>
      {first ? (
        <Note title="Nobody keeps watch yet">
          A model can change behind its name. Asked again on the same cases, what is adopted shows
          whether it holds. {open_}
        </Note>
      ) : (
        open_
      )}
      <Overlay open={open} onOpenChange={setOpen} title="Keep watch over what is adopted">
        <form
          className="grid gap-3"
          onSubmit={(e) => {
            e.preventDefault()
            void start()
          }}
        >
          <p className="text-sm text-soft">
            The arm is asked at once, on cases drawn once and for all; that first run is what each
            later check is compared with, case by case, by score, price and time. The figures it was
            adopted by are the best of several and would look like a fall.
          </p>
          <div className="grid grid-cols-3 gap-4">
            <Field
              label={`Cases, of ${cases}`}
              inputMode="numeric"
              value={sample}
              error={wrong('cases')}
              onChange={(e) => setSample(e.target.value)}
            />
            <Field
              label="Every so many days"
              inputMode="numeric"
              value={days}
              error={wrong('every_days')}
              hint="empty: on demand"
              onChange={(e) => setDays(e.target.value)}
            />
            <Field
              label="Checks planned"
              inputMode="numeric"
              value={planned}
              error={wrong('planned')}
              hint="they share the 5 % of false alarms"
              onChange={(e) => setPlanned(e.target.value)}
            />
          </div>
          {power.data && !power.isError && (
            <p className="border-l-2 border-rule-strong pl-2 text-sm" aria-busy={power.isFetching}>
              {power.data.words}
            </p>
          )}
          {problem !== null && !['cases', 'every_days', 'planned'].some(wrong) && (
            <ErrorLine>{inWords(problem)}</ErrorLine>
          )}
          <div>
            <Button kind="main" type="submit">
              Keep watch
            </Button>
          </div>
        </form>
      </Overlay>
    </>
  )
}
