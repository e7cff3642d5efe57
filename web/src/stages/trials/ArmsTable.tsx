import { useQuery } from '@tanstack/react-query'
import { Fragment, useState } from 'react'
import type { Schemas } from '@/api/client'
import { armsInFullQuery } from '@/api/reviews'
import { IntervalPlot } from '@/parts/IntervalPlot'
import { Simulated, TextAction } from '@/parts/controls'
import { count, money, plural, score, seconds } from '@/parts/numbers'
import { PACE_MS } from './answers/useAnswers'
import { ArmWhy } from './ArmWhy'
import { scaleOf, sorted, type Column, type Sorting } from './arms'

type Arm = Schemas['ArmOnBoard']
type Trial = Schemas['TrialSummary']

// So many are seen at once; the others fold away under one line.
const SEEN = 6

type Props = {
  trial: Trial
  chosen: number[]
  onArms: (arms: number[]) => void
}

/** Arms with mean and interval, what they won and lost, price and time; `why` opens what a total is made of. */
export function ArmsTable({ trial, chosen, onArms }: Props) {
  const [sorting, setSorting] = useState<Sorting>({ by: 'mean', down: true })
  const [unfolded, setUnfolded] = useState(false)
  const [pinned, setPinned] = useState<number[]>([])
  const [why, setWhy] = useState<number | null>(null)
  const arms = trial.arms
  const full = useQuery({
    ...armsInFullQuery(trial.id, trial.state),
    enabled: trial.done > 0,
    refetchInterval: trial.state === 'running' ? PACE_MS : false,
    placeholderData: (former) => former,
  })
  const own = new Map((full.data?.arms ?? []).map((a) => [a.arm, a]))
  const ordered = sorted(arms, sorting, own)
  const first = ordered.filter((a) => pinned.includes(a.id))
  const listed = [...first, ...ordered.filter((a) => !pinned.includes(a.id))]
  const rows = unfolded ? listed : listed.slice(0, Math.max(SEEN, pinned.length))
  const judged = arms.some((a) => a.thresholds.length > 0)
  // Said once where it holds for all of them.
  const simulated = arms.every((a) => a.simulated)
  const reference = arms.find((a) => a.id === trial.reference)
  const scale = scaleOf(rows)
  const wide = judged ? 92 : 130
  const columns = 6 + (judged ? 1 : 0) + (reference ? 1 : 0)
  const head = (by: Column, words: string, className: string) => (
    <HeadButton by={by} words={words} className={className} sorting={sorting} onSort={setSorting} />
  )
  return (
    <section aria-label="Arms" className="mb-3">
      <table className="w-full text-sm">
        <caption className="sr-only">Arms of this trial.</caption>
        <thead>
          <tr className="border-b border-rule-strong text-left align-bottom text-xs text-soft">
            {head('name', 'Arm', '')}
            {head('mean', 'Score, 95 % interval', judged ? 'w-[13.25rem]' : 'w-[15.75rem]')}
            {reference && head('won', 'Won, lost', 'w-22')}
            {judged && <th className="w-24 font-semibold">Good enough</th>}
            <th className="w-20 font-semibold">Not answered</th>
            {head('cost', '1,000 cost', 'w-18 text-right')}
            {head('time', 'Half within', 'w-19 text-right')}
            <th className="w-9">
              <span className="sr-only">What it is made of</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((arm) => (
            <Fragment key={arm.id}>
              <tr className="border-b border-rule">
                <td className="max-w-0 py-0.5">
                  <span className="flex items-baseline gap-2">
                    <button
                      type="button"
                      aria-pressed={pinned.includes(arm.id)}
                      title={pinned.includes(arm.id) ? 'Let it go' : 'Keep it on top'}
                      onClick={() =>
                        setPinned(
                          pinned.includes(arm.id)
                            ? pinned.filter((x) => x !== arm.id)
                            : [...pinned, arm.id],
                        )
                      }
                      className="w-5 shrink-0 text-left font-mono text-xs text-soft hover:text-ink aria-pressed:font-semibold aria-pressed:text-action"
                    >
                      {arm.letter}
                    </button>
                    <button
                      type="button"
                      title={`${arm.version_label} on ${arm.model}, ${arm.settings_short}: press to look at it alone`}
                      onClick={() =>
                        onArms(chosen.length === 1 && chosen[0] === arm.id ? [] : [arm.id])
                      }
                      className="min-w-0 truncate text-left font-semibold hover:underline"
                    >
                      {arm.name}
                    </button>
                    {arm.simulated && !simulated && <Simulated />}
                  </span>
                </td>
                <td>
                  <ScoreCell arm={arm} scale={scale} width={wide} />
                </td>
                {reference && (
                  <td className="text-xs">
                    {arm.id === trial.reference ? (
                      <span className="text-soft">compared with</span>
                    ) : (
                      <span className="font-mono">{wonLost(own.get(arm.id))}</span>
                    )}
                  </td>
                )}
                {judged && (
                  <td className="text-xs">
                    <Enough thresholds={arm.thresholds} soFar={trial.state !== 'complete'} />
                  </td>
                )}
                <td className="text-xs" title={arm.unseen}>
                  {noAnswers(arm)}
                </td>
                <td className="text-right font-mono text-xs">{money(arm.cost_per_1000, 3)}</td>
                <td className="text-right font-mono text-xs">{seconds(arm.latency_ms)}</td>
                <td className="text-right text-xs">
                  <TextAction
                    light
                    aria-expanded={why === arm.id}
                    aria-label={`Why ${arm.name} scores so`}
                    onClick={() => setWhy(why === arm.id ? null : arm.id)}
                  >
                    why
                  </TextAction>
                </td>
              </tr>
              {why === arm.id && (
                <tr>
                  <td colSpan={columns + 1} className="border-b border-rule bg-sheet px-3 py-2">
                    <ArmWhy
                      arm={arm}
                      trial={trial}
                      full={full.data}
                      reference={reference ?? listed.find((a) => a.id !== arm.id)}
                    />
                  </td>
                </tr>
              )}
            </Fragment>
          ))}
        </tbody>
      </table>
      {listed.length > rows.length && (
        <TextAction light className="mt-1 text-xs" onClick={() => setUnfolded(true)}>
          {plural(listed.length - rows.length, 'more arm')}
        </TextAction>
      )}
      {unfolded && listed.length > SEEN && (
        <TextAction light className="mt-1 text-xs" onClick={() => setUnfolded(false)}>
          the first {SEEN} only
        </TextAction>
      )}
    </section>
  )
}

type HeadProps = {
  by: Column
  words: string
  className: string
  sorting: Sorting
  onSort: (s: Sorting) => void
}

function HeadButton({ by, words, className, sorting, onSort }: HeadProps) {
  const on = sorting.by === by
  return (
    <th
      className={`py-1 font-semibold ${className}`}
      aria-sort={on ? (sorting.down ? 'descending' : 'ascending') : 'none'}
    >
      <button
        type="button"
        className="hover:text-ink"
        onClick={() => onSort({ by, down: on ? !sorting.down : by === 'mean' || by === 'won' })}
      >
        {words}
        {on && <span aria-hidden> {sorting.down ? '↓' : '↑'}</span>}
      </button>
    </th>
  )
}

function ScoreCell({ arm, scale, width }: { arm: Arm; scale: [number, number]; width: number }) {
  if (arm.mean === null || arm.low === null || arm.high === null)
    return (
      <span className="text-xs text-soft">
        {arm.n ? 'no score yet' : 'nothing yet'}
        {dropped(arm)}
      </span>
    )
  return (
    <span className="flex items-center gap-2">
      <IntervalPlot
        mean={arm.mean}
        low={arm.low}
        high={arm.high}
        width={width}
        from={scale[0]}
        to={scale[1]}
      />
      <span className="font-mono text-xs whitespace-nowrap">
        <span className="text-sm font-semibold">{score(arm.mean)}</span>{' '}
        <span className="text-soft">
          {score(arm.low)}–{score(arm.high)}
        </span>
      </span>
      {dropped(arm)}
    </span>
  )
}

function dropped(arm: Arm) {
  if (!arm.dropped) return null
  return (
    <span
      className="truncate text-xs text-soft"
      title={`one-sided p ${arm.dropped.p.toPrecision(2)}`}
    >
      {' '}
      lost to {arm.dropped.against}, {arm.dropped.cases} cases
    </span>
  )
}

function wonLost(own: Schemas['ArmInFull'] | undefined): string {
  if (own?.won == null || own.lost == null) return '–'
  return `${count(own.won)}, ${count(own.lost)}`
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
