import type { Schemas } from '@/api/client'
import { Simulated } from '@/parts/controls'
import { count, score, signed } from '@/parts/numbers'
import { ScoreChip } from '@/parts/ScoreChip'
import type { Seen } from './useTwins'

type Held = Schemas['HeldShape']
type Props = { held: Held; seen: Seen; onLook: (part: Partial<Seen>) => void }

const share = (x: { share: number | null; low: number | null; high: number | null }) =>
  x.share === null
    ? 'nothing can be told'
    : `${score(x.share)}, likely ${score(x.low)} to ${score(x.high)}`

/** Kind × arm: the share of pairs that behave as expected; a press shows those that do not. */
export function HeldTable({ held, seen, onLook }: Props) {
  const against = new Map(held.comparisons.map((c) => [c.arm, c]))
  return (
    <div className="overflow-x-auto">
      <table className="mt-3 w-full text-sm">
        <caption className="sr-only">Pairs that behave as expected, by kind and arm</caption>
        <thead>
          <tr className="border-b border-rule-strong align-bottom">
            <th
              scope="col"
              className="sticky left-0 min-w-44 bg-paper py-1 pr-3 text-left text-xs font-normal text-soft"
            >
              Behave as expected, and how many break
            </th>
            {held.arms.map((a) => (
              <th key={a.arm} scope="col" className="min-w-28 py-1 pr-3 text-left font-semibold">
                <button
                  type="button"
                  aria-pressed={seen.arm === a.arm}
                  className="text-left hover:underline aria-pressed:underline"
                  onClick={() => onLook({ arm: a.arm, kind: '', case: null })}
                >
                  {a.name}
                </button>{' '}
                {a.simulated && <Simulated />}
              </th>
            ))}
          </tr>
          <tr className="border-b border-rule align-baseline">
            <th
              scope="row"
              className="sticky left-0 min-w-44 bg-paper py-1.5 pr-3 text-left font-semibold"
            >
              all kinds
            </th>
            {held.arms.map((a) => {
              const c = against.get(a.arm)
              return (
                <td key={a.arm} className="py-1.5 pr-2">
                  <ScoreChip value={a.share} title={share(a)} />{' '}
                  <span className="font-mono text-xs whitespace-nowrap text-soft">
                    {a.low !== null && a.high !== null && `${score(a.low)}–${score(a.high)}`}
                  </span>
                  <span className="block text-xs text-soft">
                    {count(a.broken)} of {count(a.holds + a.broken)} break
                    {a.obeyed > 0 && (
                      <strong className="block font-semibold text-harm">
                        {count(a.obeyed)} of {count(a.n_orders)} orders followed
                      </strong>
                    )}
                    {c && (
                      <span className={`block ${c.shown === 'worse' ? 'text-harm' : ''}`}>
                        {c.shown === 'not shown' ? 'no difference shown' : c.shown} (
                        {signed(c.difference, 2)})
                      </span>
                    )}
                  </span>
                </td>
              )
            })}
          </tr>
        </thead>
        <tbody>
          {held.kinds.map((k) => (
            <tr key={k.kind} className="border-b border-rule align-baseline">
              <th
                scope="row"
                className="sticky left-0 min-w-44 bg-paper py-1 pr-3 text-left font-normal"
              >
                {k.what}
              </th>
              {held.arms.map((a) => {
                const cell = k.cells.find((c) => c.arm === a.arm)
                return (
                  <td key={a.arm} className="py-1 pr-2">
                    {cell && <Cell cell={cell} kind={k.kind} seen={seen} onLook={onLook} />}
                  </td>
                )
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}

type CellProps = {
  cell: Schemas['HeldCell']
  kind: string
  seen: Seen
  onLook: (part: Partial<Seen>) => void
}

function Cell({ cell, kind, seen, onLook }: CellProps) {
  const told = cell.holds + cell.broken
  if (told === 0)
    return (
      <span className="text-xs text-soft" title="the answers do not say the fact that was changed">
        cannot be told
      </span>
    )
  return (
    <button
      type="button"
      className="flex items-baseline gap-1.5 aria-pressed:outline-2 aria-pressed:outline-offset-2 aria-pressed:outline-action"
      aria-pressed={seen.kind === kind && seen.arm === cell.arm}
      title={`${share(cell)}; ${count(cell.broken)} of ${count(told)} break`}
      onClick={() =>
        onLook({ kind, arm: cell.arm, case: null, only: cell.broken > 0 ? 'broken' : 'all' })
      }
    >
      <ScoreChip value={cell.share} />
      <span className="text-xs whitespace-nowrap text-soft">
        {count(cell.broken)} of {count(told)}
        <span className="sr-only"> break</span>
      </span>
    </button>
  )
}
