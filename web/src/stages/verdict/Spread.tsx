import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { spreadQuery } from '@/api/verdicts'
import { ErrorLine } from '@/parts/controls'
import { Part } from './Part'
import { plural, pValue, score, signed } from '@/parts/numbers'

type Props = {
  trial: number
  a: { id: number; name: string }
  b: { id: number }
  done: number
  /** What stands between the two parts. */
  children: ReactNode
}

/** What the spread of scores is due to among the arms tried, and the two arms on parts of the cases. */
export function Spread({ trial, a, b, done, children }: Props) {
  const found = useQuery({ ...spreadQuery(trial, a.id, b.id, done), staleTime: 60_000 })
  const { slices = [], too_small: small = 0, shares = [] } = found.data ?? {}
  const look = slices.filter((s) => s.look)
  return (
    <>
      {slices.length > 0 && (
        <Part
          number={2}
          title="Parts of the cases"
          finding={
            look.length === 0
              ? `${plural(slices.length, 'part')}, none stands out`
              : look
                  .map((s) => `${s.name}: look here, ${plural(s.n_cases, 'case')}, ${apart(s)}`)
                  .join('; ')
          }
        >
          <Slices rows={slices} small={small} a={a.name} />
        </Part>
      )}
      {children}
      {found.isLoadingError && <ErrorLine>{inWords(found.error)}</ErrorLine>}
      {found.data && (
        <Part
          number={4}
          title="What the spread comes from"
          finding={
            found.data.why_null
              ? `not told: ${found.data.why_null}`
              : shares.map((s) => `${s.source} ${Math.round(s.share * 100)} %`).join(', ')
          }
        >
          <Shares spread={found.data} />
        </Part>
      )}
    </>
  )
}

const SHOWN = 8

/** “0.110 lower”. */
function apart({ difference }: Schemas['SliceShape']): string {
  return `${Math.abs(difference ?? 0).toFixed(2)} ${(difference ?? 0) < 0 ? 'lower' : 'higher'}`
}

type SlicesProps = { rows: Schemas['SliceShape'][]; small: number; a: string }

function Slices({ rows, small, a }: SlicesProps) {
  return (
    <>
      <p className="text-xs text-soft">
        Where {a} is weakest first; p corrected for all parts. It says where to look and decides
        nothing.
        {small > 0 && ` ${plural(small, 'part')} with fewer than ten cases left out.`}
      </p>
      <table className="mt-1 w-full text-sm">
        <thead>
          <tr className="border-b border-rule-strong text-left text-xs text-soft">
            <th className="py-1 font-semibold">Part</th>
            <th className="text-right font-semibold">Cases</th>
            <th className="pl-6 font-semibold">Difference, 95 % interval</th>
            <th className="text-right font-semibold">p</th>
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, SHOWN).map((r) => (
            <tr key={r.name} className="border-b border-rule">
              <td className="max-w-0 truncate py-1" title={r.name}>
                {r.name}{' '}
                {r.look && <span className="text-xs font-semibold text-harm">look here</span>}
              </td>
              <td className="w-16 text-right font-mono text-xs">{r.n_cases}</td>
              <td className="w-64 pl-6 font-mono text-xs">
                {signed(r.difference)}{' '}
                <span className="text-soft">
                  {signed(r.low)} to {signed(r.high)}
                </span>
              </td>
              <td className="w-20 text-right font-mono text-xs">{pValue(r.p_holm)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  )
}

function Shares({ spread }: { spread: Schemas['SpreadShape'] }) {
  return (
    <>
      {spread.why_null ? (
        <p className="text-sm text-soft">No shares: {spread.why_null}.</p>
      ) : (
        <div className="mt-1 grid grid-cols-2 gap-8">
          <table className="w-full self-start text-sm">
            <caption className="sr-only">Shares of the spread</caption>
            <tbody>
              {spread.shares.map((s) => (
                <tr key={s.source} className="border-b border-rule">
                  <td className="py-1">{s.source}</td>
                  <td className="w-32">
                    <span
                      className="block h-2 bg-ink"
                      style={{ width: `${Math.max(1, s.share * 100)}%` }}
                    />
                  </td>
                  <td className="w-14 text-right font-mono text-xs">
                    {Math.round(s.share * 100)} %
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <table className="w-full self-start text-sm">
            <caption className="sr-only">Effect of each level against the mean of all arms</caption>
            <tbody>
              {spread.effects.map((e) => (
                <tr key={`${e.factor} ${e.level}`} className="border-b border-rule">
                  <td className="max-w-0 truncate py-1">
                    <span className="text-soft">{e.factor}</span> {e.level}
                  </td>
                  <td className="w-48 text-right font-mono text-xs">
                    {signed(e.effect)}{' '}
                    <span className="text-soft">
                      {signed(e.low, 2)} to {signed(e.high, 2)}
                    </span>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <p className="mt-1 text-xs text-soft">
        {spread.repeat_sd === null
          ? 'With one repeat, chance and what is special to an arm on a case cannot be told apart.'
          : `Between repeats of one arm on one case: standard deviation ${score(spread.repeat_sd, 3)}.`}
        {spread.negative.length > 0 &&
          ` Estimated below nothing and counted as nothing: ${spread.negative.join(', ')}.`}
      </p>
    </>
  )
}
