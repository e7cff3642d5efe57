import { useEffect, useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { useConnections } from '@/api/connections'
import { useTrial } from '@/api/trials'
import { KeyHints } from '@/keys/KeyHints'
import { Note } from '@/parts/Margin'
import { StandingNote } from '@/parts/StandingNote'
import { Button, Choice, Empty, ErrorLine, Waiting } from '@/parts/controls'
import { count, duration, money, plural, score, lookedAt, sum } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { useFrame } from '../frame'
import { StageGrid } from '../StageGrid'
import { ArmsTable } from './ArmsTable'
import { DoubtfulNote } from './DoubtfulNote'
import { UnscoredNote } from './UnscoredNote'
import { PrecedentsNote } from '../review/precedents/PrecedentsNote'
import { JudgesNote } from './JudgesNote'
import { LabelsView } from './LabelsView'
import { ScoreAnew } from './ScoreAnew'
import { ExtendForm } from './ExtendForm'
import { ContinueButton, HaltButtons } from './HaltAndContinue'
import { Matrix } from './Matrix'
import { OutputView } from './OutputView'
import { useCells } from './useCells'

type Trial = Schemas['TrialSummary']

type Props = {
  trialId: number
  trials: Schemas['TrialRow'][]
  onChoose: (id: number) => void
  planPath: string
}

/** A trial's board: arms with their figures, and every case by every arm. */
export function Board({ trialId, trials, onChoose, planPath }: Props) {
  const { brief } = useFrame()
  const trial = useTrial(trialId)
  const open = trial.data?.state === 'running' || trial.data?.state === 'queued'
  const { cells, error } = useCells(trialId, open)
  // A link may name the answer it leads to.
  const [search] = useSearchParams()
  const [shown, setShown] = useState<number | null>(Number(search.get('output')) || null)
  const [short, setShort] = useState(false)
  const [extending, setExtending] = useState(false)
  const [rescoring, setRescoring] = useState(false)
  const [labels, setLabels] = useState(false)
  if (trial.isPending)
    return (
      <div className="px-6">
        <Waiting what="the trial" />
      </div>
    )
  if (trial.isLoadingError)
    return (
      <div className="p-6">
        <ErrorLine>{inWords(trial.error)}</ErrorLine>
      </div>
    )
  const t = trial.data
  if (t.brief !== brief.id) {
    return (
      <div className="px-6">
        <Empty title="This trial belongs to another brief.">
          It is read{' '}
          <Link
            className="font-semibold text-action underline"
            to={`/briefs/${t.brief}/trials/${t.id}`}
          >
            where it was run
          </Link>
          , or see{' '}
          <Link className="font-semibold text-action underline" to={`/briefs/${brief.id}/trials`}>
            the trials of this brief
          </Link>
          .
        </Empty>
      </div>
    )
  }
  return (
    <StageGrid margin={<BoardMargin trial={t} onOpen={setShown} />}>
      <div className="flex items-center gap-3">
        <h1 className="min-w-0 text-xl">
          Trial {t.number}
          {t.question && `: ${t.question}`}
        </h1>
        <span className="ml-auto flex items-center gap-2">
          {trials.length > 1 && (
            <Choice
              label="Trial shown"
              hideLabel
              className="w-36"
              value={t.id}
              onChange={(e) => onChoose(Number(e.target.value))}
            >
              {trials.map((row) => (
                <option key={row.id} value={row.id}>
                  Trial {row.number},{' '}
                  {row.purpose === 'compare'
                    ? ''
                    : row.purpose === 'weigh'
                      ? 'weighing, '
                      : 'watch, '}
                  {row.state}
                </option>
              ))}
            </Choice>
          )}
          {open ? <HaltButtons trial={t} /> : <ContinueButton trial={t} />}
          {!open && <Button onClick={() => setExtending(true)}>Extend…</Button>}
          {t.done > 0 && <Button onClick={() => setLabels(true)}>Labels…</Button>}
          {!open && t.done > 0 && <Button onClick={() => setRescoring(true)}>Score anew…</Button>}
          <Link
            to={planPath}
            className="inline-flex h-8 items-center rounded-sm border border-action bg-action px-3 text-sm font-semibold whitespace-nowrap text-on-action"
          >
            Plan a trial…
          </Link>
        </span>
      </div>
      <Progress trial={t} done={Math.max(t.done, cells?.done ?? 0)} />
      <Standing trial={t} />
      <ArmsTable
        arms={t.arms}
        short={short && t.arms.length > 4}
        complete={t.state === 'complete'}
      />
      {t.arms.length > 6 && (
        <button
          type="button"
          className="mt-1 text-xs text-soft underline underline-offset-2 hover:text-ink"
          onClick={() => setShort(!short)}
        >
          {short ? 'Show every arm' : 'Show the best four only'}
        </button>
      )}
      {error && <ErrorLine>{inWords(error)}</ErrorLine>}
      {cells && (
        <Matrix
          cells={cells}
          arms={t.arms}
          repeats={t.repeats}
          running={open}
          onOpen={setShown}
          paused={shown !== null}
        />
      )}
      <Overlay
        open={shown !== null}
        onOpenChange={(o) => !o && setShown(null)}
        title="Answer"
        side
        hideTitle
      >
        {shown !== null && (
          <OutputView id={shown} close={() => setShown(null)} onOther={setShown} resting={!open} />
        )}
      </Overlay>
      <Overlay open={extending} onOpenChange={setExtending} title={`Extend trial ${t.number}`}>
        {extending && <ExtendForm trial={t} close={() => setExtending(false)} />}
      </Overlay>
      <Overlay open={labels} onOpenChange={setLabels} title={`Labels in trial ${t.number}`} side>
        {labels && (
          <LabelsView
            trial={t}
            onOpen={(output) => {
              setLabels(false)
              setShown(output)
            }}
          />
        )}
      </Overlay>
      <Overlay open={rescoring} onOpenChange={setRescoring} title={`Score trial ${t.number} anew`}>
        {rescoring && <ScoreAnew trial={t} />}
      </Overlay>
    </StageGrid>
  )
}

function Progress({ trial, done }: { trial: Trial; done: number }) {
  const share = trial.n_outputs ? done / trial.n_outputs : 0
  const open = trial.state === 'running' || trial.state === 'queued'
  const left = useTimeLeft(trial, done)
  const words = [
    `${count(done)} of ${count(trial.n_outputs)}`,
    trial.asked === 'stop'
      ? 'stopping'
      : trial.asked === 'pause'
        ? 'pausing when the calls under way are in'
        : trial.state === 'queued'
          ? 'waiting for the worker'
          : open
            ? (left ?? 'running')
            : trial.state,
    trial.extensions > 0 && 'extended after it had ended',
    trial.spared > 0 && `${count(trial.spared)} spared by dropping losers`,
    trial.judges.length > 0 && `judged by ${trial.judges.join(', ')}`,
    trial.reused > 0 && `${count(trial.reused)} from the store`,
    `${money(trial.spent ?? 0)}${open && trial.estimate.cost ? ` of about ${money(trial.estimate.cost)}` : ''}${trial.budget === null ? '' : `, budget ${money(trial.budget)}`}`,
    `${plural(trial.n_cases, trial.split === 'held-out' ? 'held-out case' : 'working case')}${trial.repeats > 1 ? ` × ${trial.repeats} repeats` : ''}, scorecard ${trial.scorecard}`,
  ]
  return (
    <div className="mt-2 mb-3 flex items-center gap-3 text-sm text-soft">
      <div
        role="progressbar"
        aria-label="Outputs stored"
        aria-valuenow={done}
        aria-valuemin={0}
        aria-valuemax={trial.n_outputs}
        className="h-1.5 w-48 shrink-0 bg-rule"
      >
        <div className="h-full bg-ink" style={{ width: `${share * 100}%` }} />
      </div>
      <span className="truncate">{words.filter(Boolean).join(' · ')}</span>
    </div>
  )
}

/** How long the rest will take at the pace since this trial started. */
function useTimeLeft(trial: Trial, done: number): string | null {
  const [now, setNow] = useState(() => Date.now())
  const running = trial.state === 'running'
  useEffect(() => {
    if (!running) return
    const timer = window.setInterval(() => setNow(Date.now()), 1000)
    return () => window.clearInterval(timer)
  }, [running])
  if (!running || !trial.started_at || done < 10) return null
  const passed = (now - new Date(trial.started_at).getTime()) / 1000
  if (passed <= 1) return null
  return `about ${duration(((trial.n_outputs - done) * passed) / done)} left`
}

const FAILURES: Record<string, string> = {
  unreachable: 'server not reached',
  no_such_host: 'no such host',
  nothing_listens: 'nothing listens there',
  bad_certificate: 'certificate does not hold',
  web_page: 'a web page came back',
  error_in_answer: 'an error in place of an answer',
  throttled: 'throttled',
  server_error: 'server error',
  timeout: 'timed out',
  dropped_stream: 'broke off',
  malformed: 'malformed',
  bad_key: 'key refused',
  no_key: 'key variable not set',
  forbidden_address: 'address never asked',
  unforeseen: 'something unforeseen',
  unknown_model: 'model unknown',
  context_too_long: 'context too long',
  refused: 'request refused',
  unsendable: 'a placeholder had no value',
  resting: 'not asked: the server was down',
}

function BoardMargin({ trial, onOpen }: { trial: Trial; onOpen: (output: number) => void }) {
  const measured = trial.arms
    .filter((a) => a.mean !== null)
    .sort((a, b) => (b.mean ?? 0) - (a.mean ?? 0))
  const [first, second] = measured
  const complete = trial.state === 'complete'
  const cheaper =
    first &&
    measured.find(
      (a) => a !== first && (a.cost_per_1000 ?? Infinity) < (first.cost_per_1000 ?? 0) / 2,
    )
  const failed = trial.arms.filter((a) => a.failed > 0)
  const cut = trial.arms.filter((a) => a.cut > 0)
  const declined = trial.arms.filter((a) => a.declined > 0)
  const { brief } = useFrame()
  return (
    <div className="grid gap-4">
      <h2 className="text-base">{complete ? 'What it shows' : 'So far'}</h2>
      {first && second && (
        <Note
          tone="action"
          title={`${first.letter} ${complete ? 'came first' : 'is ahead so far'}`}
        >
          {first.version_label} on {first.model_short},{' '}
          {score((first.mean ?? 0) - (second.mean ?? 0))} above {second.letter}.{' '}
          {complete ? (
            <Link
              className="font-sans font-semibold text-action underline"
              to={`/briefs/${brief.id}/verdict?trial=${trial.id}&a=${first.id}`}
            >
              How sure is that?
            </Link>
          ) : (
            'No verdict before the trial is complete.'
          )}
        </Note>
      )}
      {cheaper && (
        <Note
          tone="inform"
          title={`${cheaper.letter} costs ${Math.round(((cheaper.cost_per_1000 ?? 0) / (first?.cost_per_1000 ?? 1)) * 100)} % of ${first.letter}`}
        >
          and is {score((first.mean ?? 0) - (cheaper.mean ?? 0))} behind.
        </Note>
      )}
      {failed.length > 0 && (
        <Note tone="harm" title={`${plural(sum(failed.map((a) => a.failed)), 'call')} failed`}>
          {reasons(failed)}. A failed call counts as missing, not as 0.
        </Note>
      )}
      {trial.unjudged > 0 && !['running', 'queued'].includes(trial.state) && (
        <Note tone="harm" title={`${plural(trial.unjudged, 'answer')} without a judgement`}>
          The judge gave none that could be read, so their total is missing, not 0.
        </Note>
      )}
      {trial.unscored.length > 0 && <UnscoredNote trial={trial} onOpen={onOpen} />}
      {trial.doubtful.count > 0 && <DoubtfulNote trial={trial} onOpen={onOpen} />}
      <PrecedentsNote trial={trial} brief={brief.id} onOpen={onOpen} />
      <JudgesNote trial={trial} onOpen={onOpen} />
      <Standings ids={trial.connections} open={trial.state === 'running'} />
      {cut.length > 0 && (
        <Note tone="attention" title={`${plural(sum(cut.map((a) => a.cut)), 'answer')} cut`}>
          on {names(cut)}: the output limit was reached, or it broke off in mid-sentence. They score
          0{trial.continuations > 0 ? ' although they were asked to go on.' : '.'}
        </Note>
      )}
      {declined.length > 0 && (
        <Note
          tone="attention"
          title={`${plural(sum(declined.map((a) => a.declined)), 'answer')} declined`}
        >
          on {names(declined)}. A refusal scores 0.
        </Note>
      )}
      {complete &&
        trial.nominal !== null &&
        trial.estimate.cost !== null &&
        trial.estimate.cost > 0 &&
        trial.extensions === 0 && (
          <Note title="The price, before and after">
            Estimated at {money(trial.estimate.cost)}; at list price it came to{' '}
            {money(trial.nominal + trial.beside)},{' '}
            {offBy((trial.nominal + trial.beside) / trial.estimate.cost - 1)}
            {trial.beside > 0 && `; ${money(trial.beside)} of it for judges and played users`}.
          </Note>
        )}
      {trial.reworked && (
        <Note title="Worked out anew">
          {plural(trial.reworked.outcomes, 'answer')} {trial.reworked.outcomes === 1 ? 'is' : 'are'}{' '}
          read otherwise and {plural(trial.reworked.scores, 'score')} changed by the rules of today,
          without a call. The former scores are kept.
        </Note>
      )}
      <Note title={trial.split === 'held-out' ? 'Held-out cases' : 'Working cases only'}>
        {trial.split === 'held-out'
          ? `Every look at these is a look you cannot take back; they were ${lookedAt(trial.looks)}.`
          : `The held-out cases are untouched by this trial; so far they were ${lookedAt(trial.looks)}.`}
      </Note>
      <KeyHints
        rows={[
          [['board.next', 'board.before'], 'case'],
          [['board.left', 'board.right'], 'arm'],
          [['board.open'], 'open'],
        ]}
      />
    </div>
  )
}

/** Connections of this trial that do not take calls as fast as they may. */
function Standings({ ids, open }: { ids: number[]; open: boolean }) {
  const connections = useConnections()
  if (!open) return null
  return connections.data
    ?.filter((c) => ids.includes(c.id) && c.standing.state !== 'steady')
    .map((c) => <StandingNote key={c.id} connection={c} />)
}

function offBy(share: number): string {
  const percent = Math.round(Math.abs(share) * 100)
  return percent === 0 ? 'as estimated' : `${percent} % ${share > 0 ? 'more' : 'less'}`
}

function names(arms: Schemas['ArmOnBoard'][]): string {
  return arms.map((a) => a.letter).join(', ')
}

function reasons(arms: Schemas['ArmOnBoard'][]): string {
  const counts = new Map<string, number>()
  arms.forEach((a) =>
    Object.entries(a.failures).forEach(([code, n]) =>
      counts.set(code, (counts.get(code) ?? 0) + n),
    ),
  )
  return [...counts].map(([code, n]) => `${n} ${FAILURES[code] ?? code}`).join(', ')
}

/** Why a trial stands still, in words. */
function Standing({ trial: t }: { trial: Trial }) {
  return (
    <>
      {t.message && t.state !== 'paused' && (
        <ErrorLine>The trial stopped: {t.message}. Answers that had come in are kept.</ErrorLine>
      )}
      {t.state === 'paused' && (
        <p className="mb-2 border-l-2 border-attention bg-wash-attention px-3 py-2 text-sm text-attention-text">
          {t.message
            ? `Paused: ${t.message}. Answers that came in are kept; ${t.budget !== null && (t.spent ?? 0) >= t.budget ? 'give a higher budget to go on' : 'it goes on where it stood when you say so'}.`
            : 'Paused. Answers that came in are kept; it goes on where it stood.'}
        </p>
      )}
      {t.trouble && (
        <ErrorLine>
          Nothing can be stored just now: {t.trouble}. Answers that came in wait in memory and no
          new calls are made; it goes on by itself once the disk can be written to.
        </ErrorLine>
      )}
    </>
  )
}
