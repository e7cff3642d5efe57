import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { meritsQuery } from '@/api/verdicts'
import { ErrorLine } from '@/parts/controls'
import { money, score, seconds } from '@/parts/numbers'
import { frontierOf } from './frontier'
import { FrontierPlot, type Placed } from './FrontierPlot'
import { Part } from './Part'
import { priceBeside } from './price'

type Arm = Schemas['ArmOnBoard']
type Comparison = Schemas['ComparisonShape']
type Props = {
  trial: number
  arms: Arm[]
  chosen: number
  onChoose: (id: number) => void
}
type Axis = 'price' | 'time'

/** Price and time of every arm; what is good enough for less is told while it is closed. */
export function PriceAndTime(props: Props & { comparison: Comparison; reference: Arm }) {
  const { comparison: c, reference, arms } = props
  const cheaper = c.family
    .filter((f) => f.low !== null && f.low > -c.margin)
    .flatMap((f) => arms.find((a) => a.id === f.a) ?? [])
    .filter((a) => (a.cost_per_1000 ?? Infinity) < (reference.cost_per_1000 ?? 0))
  const finding = !c.complete
    ? 'so far'
    : cheaper.length === 0
      ? `nothing cheaper is shown to be no worse within ${score(c.margin)}`
      : `no worse within ${score(c.margin)}: ${cheaper.map((a) => `${a.name} ${priceBeside(a, reference)}`).join('; ')}`
  if (arms.filter((a) => a.mean !== null).length < 2) return null
  return (
    <Part number={1} title="Price and time" finding={finding}>
      <Frontier {...props} />
    </Part>
  )
}

/** Score against price and time: which arms nothing beats in all three. */
function Frontier({ trial, arms, chosen, onChoose }: Props) {
  const [axis, setAxis] = useState<Axis>('price')
  const merits = useQuery(meritsQuery(trial))
  const measured = arms.filter((a) => a.mean !== null)
  const shown = measured.filter((a) =>
    axis === 'time' ? (a.latency_ms ?? 0) > 0 : (a.cost_per_1000 ?? 0) > 0,
  )
  const figures = new Map(merits.data?.arms.map((m) => [m.arm, m]) ?? [])
  const timeOf = (a: Arm): [number, number] => {
    const time = figures.get(a.id)?.median_ms
    const value = a.latency_ms ?? Infinity
    return [time?.low ?? value, time?.high ?? value]
  }
  const best = new Set(
    frontierOf(
      measured.map((a) => ({
        id: a.id,
        score: a.mean ?? 0,
        cost: a.cost_per_1000 ?? Infinity,
        time: timeOf(a),
      })),
    ),
  )
  const placed: Placed[] = shown.map((a) => {
    const time = figures.get(a.id)?.median_ms
    return {
      id: a.id,
      letter: a.letter,
      mean: a.mean ?? 0,
      low: a.low,
      high: a.high,
      best: best.has(a.id),
      at: axis === 'price' ? (a.cost_per_1000 ?? 1) : (a.latency_ms ?? 1),
      from: axis === 'time' ? (time?.low ?? null) : null,
      to: axis === 'time' ? (time?.high ?? null) : null,
    }
  })
  const gated = merits.data?.arms.some((m) => m.gates.length > 0) ?? false
  const rows = [...measured].sort((x, y) => (y.mean ?? 0) - (x.mean ?? 0))
  return (
    <>
      <p className="mb-1 flex items-baseline gap-3 text-sm" role="group" aria-label="Score against">
        Score against
        {(['price', 'time'] as const).map((key) => (
          <button
            key={key}
            type="button"
            aria-pressed={axis === key}
            onClick={() => setAxis(key)}
            className="text-soft underline underline-offset-2 aria-pressed:font-semibold aria-pressed:text-ink aria-pressed:no-underline"
          >
            {key}
          </button>
        ))}
      </p>
      <div className="flex items-start gap-6">
        {placed.length > 1 ? (
          <FrontierPlot
            points={placed}
            chosen={chosen}
            label={
              axis === 'price'
                ? 'price of 1,000, on a scale of ratios'
                : 'median time of an answer, on a scale of ratios'
            }
            words={(v) => (axis === 'price' ? money(v, 3) : seconds(v))}
          />
        ) : (
          <p className="text-sm text-soft">Too few arms have a {axis}.</p>
        )}
        <div className="min-w-0 pt-1 text-sm">
          <p className="text-soft">
            Filled: nothing here is better, cheaper and as quick. Bars are 95 % intervals.
          </p>
        </div>
      </div>
      {merits.isError && <ErrorLine>{inWords(merits.error)}</ErrorLine>}
      {merits.data && (
        <MeritsTable
          rows={rows}
          figures={figures}
          best={best}
          gated={gated}
          chosen={chosen}
          onChoose={onChoose}
        />
      )}
      {merits.data && (
        <p className="mt-1 text-xs text-soft">
          Good is an answer whose total is{' '}
          {merits.data.good_from === 1 ? 'full' : `at least ${merits.data.good_from}`}. Intervals
          come from resampling the cases.
        </p>
      )}
    </>
  )
}

/** The ends of an interval have the unit of the figure before them. */
function bare(text: string): string {
  return text.replace(/[^\d.]/g, '')
}

function percent(share: number): string {
  return `${Math.round(100 * share)} %`
}

function Merit({
  figure,
  words,
}: {
  figure: Schemas['MeritFigure'] | undefined
  words: (value: number) => string
}) {
  if (!figure || figure.value === null)
    return (
      <span className="text-soft" title={figure?.why_null ?? undefined}>
        –
      </span>
    )
  return (
    <>
      {words(figure.value)}{' '}
      {figure.low !== null && (
        <span className="text-2xs text-soft" title={figure.why_null ?? undefined}>
          {bare(words(figure.low))} to {figure.high === null ? 'no end' : bare(words(figure.high))}
        </span>
      )}
    </>
  )
}

type TableProps = {
  rows: Arm[]
  figures: Map<number, Schemas['ArmMerits']>
  best: Set<number>
  gated: boolean
  chosen: number | null
  onChoose: (arm: number) => void
}

function MeritsTable({ rows, figures, best, gated, chosen, onChoose }: TableProps) {
  return (
    <div className="mt-2 overflow-x-auto">
      <table className="w-full min-w-[46rem] text-sm">
        <thead>
          <tr className="border-b border-rule-strong text-left text-xs text-soft">
            <th className="py-1 font-semibold">Arm</th>
            <th className="pl-3 text-right font-semibold">Score</th>
            {gated && (
              <th
                className="pl-3 text-right font-semibold"
                title="share of answers that pass every measure that must pass, and the score if none had to"
              >
                Passes, score without
              </th>
            )}
            <th
              className="pl-3 text-right font-semibold"
              title="share of resamples in which it scored highest; it decides nothing"
            >
              Highest in
            </th>
            <th className="pl-3 text-right font-semibold">Price of 1,000</th>
            <th className="pl-3 text-right font-semibold">Good</th>
            <th className="pl-3 text-right font-semibold">Price of 1,000 good ones</th>
            <th className="pl-3 text-right font-semibold">Half within</th>
            <th className="pl-3 text-right font-semibold">95 of 100 within</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((a) => {
            const m = figures.get(a.id)
            return (
              <tr
                key={a.id}
                className={`border-b border-rule ${a.id === chosen ? 'bg-wash-action' : ''}`}
              >
                <td className="py-1 whitespace-nowrap">
                  <button
                    type="button"
                    className="text-left hover:text-action"
                    onClick={() => onChoose(a.id)}
                  >
                    <span
                      className={`mr-1.5 inline-block size-2 border border-ink ${best.has(a.id) ? 'bg-action' : 'bg-paper'}`}
                      aria-hidden="true"
                    />
                    <span className="font-mono text-xs text-soft">{a.letter}</span>{' '}
                    <strong>{a.name}</strong>
                  </button>
                </td>
                <td className="pl-3 text-right font-mono text-xs whitespace-nowrap">
                  {score(a.mean, 3)}
                </td>
                {gated && (
                  <td
                    className="pl-3 text-right font-mono text-xs whitespace-nowrap"
                    title={m?.gates.map((g) => `${g.measure} ${percent(g.rate)}`).join(', ')}
                  >
                    {m && m.gates.length > 0
                      ? percent(Math.min(...m.gates.map((g) => g.rate)))
                      : '–'}{' '}
                    <span className="text-soft">{score(m?.ungated, 3)}</span>
                  </td>
                )}
                <td className="pl-3 text-right font-mono text-xs whitespace-nowrap">
                  {m?.came_first == null ? '–' : percent(m.came_first)}
                </td>
                <td className="pl-3 text-right font-mono text-xs whitespace-nowrap">
                  {money(a.cost_per_1000, 3)}
                </td>
                <td className="pl-3 text-right font-mono text-xs whitespace-nowrap">
                  {m ? percent(m.n_good / Math.max(1, m.n)) : '–'}
                </td>
                <td className="pl-3 text-right font-mono text-xs whitespace-nowrap">
                  <Merit figure={m?.cost_per_good} words={(v) => money(v * 1000, 3)} />
                </td>
                <td className="pl-3 text-right font-mono text-xs whitespace-nowrap">
                  <Merit figure={m?.median_ms} words={seconds} />
                </td>
                <td className="pl-3 text-right font-mono text-xs whitespace-nowrap">
                  <Merit figure={m?.slow_ms} words={seconds} />
                </td>
              </tr>
            )
          })}
        </tbody>
      </table>
    </div>
  )
}
