import type { Schemas } from '@/api/client'
import { count, money, score, seconds } from '@/parts/numbers'
import { ScoreChip } from '@/parts/ScoreChip'

type Arm = Schemas['ArmOnBoard']
type InFull = Schemas['ArmInFull']
type Trial = Schemas['TrialSummary']

/** A column of the arms table: what it shows of an arm, and what it sorts by. */
export type ArmColumn = {
  key: string
  title: string
  /** What the chooser says of it, where its title is too short to be understood alone. */
  told: string
  width: string
  right: boolean
  /** Shown unless something else was chosen. */
  usual: boolean
  /** Whether the highest stands first at the first press. */
  down: boolean
  value: (arm: Arm, own: InFull | undefined) => number | null
  cell: (arm: Arm, own: InFull | undefined) => React.ReactNode
}

const FIGURE = { width: 'w-18', right: true, usual: true, down: false }
const CHOSEN = { width: 'w-20', right: true, usual: false, down: true }

/** All columns that a trial's arms can be told by; name and score always stand before them. */
export function columnsOf(trial: Trial, full: Schemas['ArmsInFull'] | undefined): ArmColumn[] {
  const found: ArmColumn[] = []
  const reference = trial.arms.find((a) => a.id === trial.reference)
  if (reference)
    found.push({
      key: 'won',
      title: 'Won, lost',
      told: `cases won and lost against ${reference.name}`,
      width: 'w-22',
      right: false,
      usual: true,
      down: true,
      value: (_, own) => (own?.won == null ? null : own.won - (own.lost ?? 0)),
      cell: (arm, own) =>
        arm.id === trial.reference ? (
          <span className="text-soft">compared with</span>
        ) : (
          <span className="font-mono">
            {own?.won == null || own.lost == null ? '–' : `${count(own.won)}, ${count(own.lost)}`}
          </span>
        ),
    })
  if (trial.arms.some((a) => a.thresholds.length > 0))
    found.push({
      key: 'enough',
      title: 'Good enough',
      told: 'thresholds of the scorecard: met, unsure, missed',
      width: 'w-24',
      right: false,
      usual: true,
      down: true,
      value: (arm) =>
        arm.thresholds.length ? arm.thresholds.filter((t) => t.state === 'met').length : null,
      cell: (arm) => <Enough thresholds={arm.thresholds} soFar={trial.state !== 'complete'} />,
    })
  found.push(
    {
      key: 'none',
      title: 'Not answered',
      told: 'cut, declined, empty or failed',
      width: 'w-20',
      right: false,
      usual: true,
      down: true,
      value: (arm) => arm.cut + arm.declined + arm.empty + arm.failed,
      cell: (arm) => <span title={arm.unseen}>{noAnswers(arm)}</span>,
    },
    {
      ...FIGURE,
      key: 'cost',
      title: '1,000 cost',
      told: 'price of 1,000 answers',
      value: (arm) => arm.cost_per_1000,
      cell: (arm) => money(arm.cost_per_1000, 3),
    },
    {
      ...FIGURE,
      key: 'time',
      title: 'Half within',
      told: 'time in which half of the answers come',
      width: 'w-19',
      value: (arm) => arm.latency_ms,
      cell: (arm) => seconds(arm.latency_ms),
    },
    ...(full?.measures ?? []).map((name, i): ArmColumn => ({
      ...CHOSEN,
      key: `m:${name}`,
      title: name,
      told: `mean of ${name}`,
      value: (_, own) => own?.measures[i]?.mean ?? null,
      cell: (_, own) => <MeasureCell figure={own?.measures[i]} />,
    })),
    {
      ...CHOSEN,
      key: 'marks',
      title: 'Marked good',
      told: 'answers marked good, usable, bad',
      width: 'w-24',
      value: (_, own) => shareGood(own),
      cell: (_, own) => (own ? `${own.marks.good}, ${own.marks.usable}, ${own.marks.bad}` : '–'),
    },
    ...((full?.precedents ?? 0) > 0
      ? [
          {
            ...CHOSEN,
            key: 'held',
            title: 'Kept, broken',
            told: 'precedents kept and broken',
            width: 'w-22',
            value: (_: Arm, own: InFull | undefined) => (own ? own.held - own.broken : null),
            cell: (_: Arm, own: InFull | undefined) => (own ? `${own.held}, ${own.broken}` : '–'),
          },
        ]
      : []),
    {
      ...CHOSEN,
      key: 'tokens',
      title: 'Tokens out',
      told: 'tokens that came back, of each answer',
      down: false,
      value: tokensEach,
      cell: (arm) => (tokensEach(arm) === null ? '–' : count(Math.round(tokensEach(arm) ?? 0))),
    },
  )
  return found
}

function tokensEach(arm: Arm): number | null {
  return arm.n > 0 ? arm.tokens_out / arm.n : null
}

function shareGood(own: InFull | undefined): number | null {
  const n = own ? own.marks.good + own.marks.usable + own.marks.bad : 0
  return own && n > 0 ? own.marks.good / n : null
}

function MeasureCell({ figure }: { figure: InFull['measures'][number] | undefined }) {
  if (!figure) return <>–</>
  const told =
    figure.low === null ? undefined : `95 % interval ${score(figure.low)} to ${score(figure.high)}`
  return <ScoreChip value={figure.mean} title={told} />
}

function noAnswers(arm: Arm) {
  const parts = [
    arm.cut && `${arm.cut} cut`,
    arm.declined && `${arm.declined} declined`,
    arm.empty && `${arm.empty} empty`,
  ].filter(Boolean)
  if (parts.length === 0 && !arm.failed) return <span className="text-soft">–</span>
  return (
    <>
      <span>{parts.join(', ')}</span>
      {arm.failed > 0 && <span className="text-harm"> {arm.failed} failed</span>}
    </>
  )
}

const STATES = { met: 'text-action', missed: 'text-harm', unsure: 'text-attention-text' }

/** What the scorecard calls good enough: the word for one threshold, counts for several. */
function Enough({ thresholds, soFar }: { thresholds: Arm['thresholds']; soFar: boolean }) {
  const told = thresholds
    .map(
      (t) =>
        `${t.measure} ${t.rule} ${score(t.needed)}: ${t.state}, ${score(t.mean)} (${score(t.low)} to ${score(t.high)})`,
    )
    .join('\n')
  const states = (['met', 'unsure', 'missed'] as const).filter((s) =>
    thresholds.some((t) => t.state === s),
  )
  return (
    <span title={told} className="flex flex-wrap gap-x-1.5">
      {states.map((s) => {
        const n = thresholds.filter((t) => t.state === s).length
        return (
          <span key={s} className={STATES[s]}>
            {thresholds.length > 1 ? `${n} ${s}` : s}
          </span>
        )
      })}
      {soFar && states.length > 0 && <span className="text-soft">so far</span>}
    </span>
  )
}
