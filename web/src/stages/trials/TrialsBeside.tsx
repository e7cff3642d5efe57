import { useQuery } from '@tanstack/react-query'
import { inWords } from '@/api/client'
import { trialsBesideQuery } from '@/api/trials'
import { ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { count, score, signed } from '@/parts/numbers'

type Props = { trial: number; other: number; close: () => void }

/** Two trials beside each other, arm by arm: the same cases at another time, or other cases. */
export function TrialsBeside({ trial, other, close }: Props) {
  const found = useQuery(trialsBesideQuery(trial, other))
  const b = found.data
  return (
    <section
      aria-label="Two trials beside each other"
      className="mt-3 border-l-2 border-action bg-sheet px-3 py-2"
    >
      <div className="flex items-baseline gap-3">
        <h2 className="mr-auto text-base">
          {b ? `Trial ${b.trial} beside trial ${b.other}` : 'Two trials'}
        </h2>
        <TextAction light className="text-xs" onClick={close}>
          put away
        </TextAction>
      </div>
      {found.isPending && <Waiting what="both trials" />}
      {found.isError && <ErrorLine>{inWords(found.error)}</ErrorLine>}
      {b && b.rows.length === 0 && (
        <p className="text-sm text-soft">
          No arm stands in both: the same version on the same model with the same settings.
        </p>
      )}
      {b && b.rows.length > 0 && (
        <table className="mt-1 w-full text-sm">
          <thead>
            <tr className="border-b border-rule text-left text-xs text-soft">
              <th className="py-1 font-semibold">Arm in both</th>
              <th className="w-20 text-right font-semibold">Trial {b.trial}</th>
              <th className="w-20 text-right font-semibold">Trial {b.other}</th>
              <th className="w-52 pl-4 font-semibold">Difference, 95 % interval</th>
              <th className="w-44 font-semibold">Cases</th>
            </tr>
          </thead>
          <tbody>
            {b.rows.map((r) => (
              <tr key={r.arm} className="border-b border-rule last:border-0">
                <td className="py-0.5 break-words">{r.name}</td>
                <td className="text-right font-mono text-xs">{score(r.mean)}</td>
                <td className="text-right font-mono text-xs">{score(r.other_mean)}</td>
                <td className="pl-4 font-mono text-xs">
                  {r.difference === null ? (
                    '–'
                  ) : (
                    <>
                      {signed(r.difference)}{' '}
                      <span className="text-soft">
                        {signed(r.low)} to {signed(r.high)}
                      </span>
                    </>
                  )}
                </td>
                <td className="text-xs text-soft">
                  {r.paired
                    ? `the same ${count(r.n_common)}`
                    : `${count(r.n)} and ${count(r.n_other)} others`}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {b && (
        <p className="mt-1 text-xs text-soft">
          {b.alone.length > 0 && `Only in trial ${b.trial}: ${b.alone.join(', ')}. `}
          {!b.same_scorecard && 'They were scored by different scorecards. '}
          It describes and decides nothing; which arm to take is asked in a verdict.
        </p>
      )}
    </section>
  )
}
