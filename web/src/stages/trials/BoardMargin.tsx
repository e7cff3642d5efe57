import { Link } from 'react-router'
import type { Schemas } from '@/api/client'
import { useConnections } from '@/api/connections'
import { KeyHints } from '@/keys/KeyHints'
import { Note } from '@/parts/Margin'
import { StandingNote } from '@/parts/StandingNote'
import { count, lookedAt, money, plural, score, sum } from '@/parts/numbers'
import { Word } from '@/parts/Word'
import { useFrame } from '../frame'
import { PrecedentsNote } from '../review/precedents/PrecedentsNote'
import { DoubtfulNote } from './DoubtfulNote'
import { JudgesNote } from './JudgesNote'
import { UnscoredNote } from './UnscoredNote'

type Trial = Schemas['TrialSummary']
// So many arms are named in a sentence; the others are counted.
const NAMED = 3

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

/** What there is to say of a trial, beside its board. */
export function BoardMargin({ trial, onOpen }: { trial: Trial; onOpen: (output: number) => void }) {
  const measured = trial.arms
    .filter((a) => a.mean !== null)
    .sort((a, b) => (b.mean ?? 0) - (a.mean ?? 0))
  const [first, second] = measured
  const complete = trial.state === 'complete'
  // Said only where all other arms are shown to be behind.
  const ahead = first && second && first.ahead_of.includes(second.id)
  const level = measured.slice(1).filter((a) => !first?.ahead_of.includes(a.id))
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
          title={
            !complete
              ? `${first.name} is highest so far`
              : ahead
                ? `${first.name} is ahead`
                : level.length > 1
                  ? `${first.name} is highest, and ${count(level.length)} more are not shown to be behind`
                  : `${first.name} and ${second.name} are level`
          }
        >
          {complete && !ahead
            ? `${score((first.mean ?? 0) - (level.at(-1)?.mean ?? 0))} apart${level.length > 1 ? ' at most' : ', and not shown to differ'}. `
            : `${score((first.mean ?? 0) - (second.mean ?? 0))} above ${second.name}. `}
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
      {failed.length > 0 && (
        <Note tone="harm" title={`${plural(sum(failed.map((a) => a.failed)), 'call')} failed`}>
          {reasons(failed)}. A failed call counts as missing, not as 0.
        </Note>
      )}
      {trial.unjudged > 0 && !['running', 'queued'].includes(trial.state) && (
        <Note
          tone="harm"
          title={`${plural(trial.unjudged, 'answer')} without ${trial.judges.length ? 'a judgement' : 'answers to their twins'}`}
        >
          {trial.judges.length
            ? 'The judge gave none that could be read'
            : 'The calls of twins failed or were not made'}
          , so their total is missing, not 0.
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
            {trial.beside > 0 &&
              `; ${money(trial.beside)} of it for judges, played users and twins`}
            .
          </Note>
        )}
      {trial.reworked && (
        <Note title="Worked out anew">
          {plural(trial.reworked.outcomes, 'answer')} {trial.reworked.outcomes === 1 ? 'is' : 'are'}{' '}
          read otherwise and {plural(trial.reworked.scores, 'score')} changed by the rules of today,
          without a call. The former scores are kept.
        </Note>
      )}
      <Note
        title={
          <Word of="held out">
            {trial.split === 'held-out' ? 'Held-out cases' : 'Working cases only'}
          </Word>
        }
      >
        {trial.split === 'held-out'
          ? `Every look at these is a look you cannot take back; they were ${lookedAt(trial.looks)}.`
          : `The held-out cases are untouched by this trial; so far they were ${lookedAt(trial.looks)}.`}
      </Note>
      <KeyHints
        rows={[
          [['board.next', 'board.before'], 'case'],
          [['board.left', 'board.right'], 'arm'],
          [['board.open'], 'open'],
          [['board.worst'], 'lowest first'],
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
  const first = arms.slice(0, NAMED).map((a) => a.name)
  const more = arms.length - first.length
  return more > 0 ? `${first.join(', ')} and ${count(more)} more` : first.join(', ')
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
