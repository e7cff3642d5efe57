import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { heldOutCheckQuery, startCheck } from '@/api/verdicts'
import { Button, ErrorLine, TextAction } from '@/parts/controls'
import { WayTo } from '@/parts/Lacking'
import { costInWords, lookedAt, plural, pValue, signed } from '@/parts/numbers'
import { useFrame } from '../frame'
import { gapInWords } from '../review/rounds/words'
import { Check } from './Check'

type Props = {
  trial: { id: number; split: string; state: string }
  a: Pick<Schemas['ArmOnBoard'], 'id' | 'brought_in' | 'cost_per_1000' | 'simulated'>
  b: Pick<Schemas['ArmOnBoard'], 'id' | 'brought_in' | 'cost_per_1000' | 'simulated'>
}

/** The held-out check of two arms: an act of its own, run once, counted, and read beside the working gain. */
export function HeldOutCheck({ trial, a, b }: Props) {
  const { brief } = useFrame()
  const cache = useQueryClient()
  const { write, problem } = useWrite([...briefKeys(brief.id)])
  const [sure, setSure] = useState(false)
  const asked = heldOutCheckQuery(trial.id, a.id, b.id)
  const found = useQuery({
    ...asked,
    refetchInterval: (q) =>
      ['queued', 'running'].includes(q.state.data?.check?.state ?? '') ? 1500 : false,
    staleTime: 0,
  })
  if (trial.split !== 'working' || !found.data) return null
  const { check, looks, n_cases } = found.data
  const start = async () => {
    setSure(false)
    await write(async () => {
      cache.setQueryData(asked.queryKey, await startCheck(trial.id, a.id, b.id))
    })
  }
  const looked = `Held-out cases of this dataset were ${lookedAt(looks)}.`
  const link = check && (
    <Link
      className="font-sans text-xs font-semibold text-action underline"
      to={`/briefs/${brief.id}/trials/${check.trial}`}
    >
      Trial {check.trial_number}
    </Link>
  )
  const cost = costOf([a, b], n_cases)
  const free = costOf(
    [a, b].filter((x) => x.simulated),
    n_cases,
  )
  return (
    <>
      {problem !== null && (
        <li>
          <ErrorLine>{inWords(problem)}</ErrorLine>
        </li>
      )}
      {!check && (
        <Check state="open" title="Not checked on held-out cases.">
          {n_cases === 0 && (
            <>
              There are none to check on:{' '}
              <WayTo words="hold some out" to={`/briefs/${brief.id}/cases`} />.
            </>
          )}
          {n_cases > 0 &&
            trial.state === 'complete' &&
            (sure ? (
              <span className="flex flex-wrap gap-2">
                <Button small kind="main" onClick={() => void start()}>
                  Run both on {plural(n_cases, 'case')}
                  {cost !== null && `, about ${costInWords(cost, free ?? 0)}`}
                </Button>
                <Button small kind="quiet" onClick={() => setSure(false)}>
                  Not yet
                </Button>
                <span className="text-xs text-soft">
                  These cases may have been tuned on. {looked}
                </span>
              </span>
            ) : (
              <TextAction title={looked} onClick={() => setSure(true)}>
                Check{cost !== null && `, about ${costInWords(cost, free ?? 0)}`}…
              </TextAction>
            ))}
        </Check>
      )}
      {check && check.state !== 'complete' && (
        <Check state="open" title={`The held-out check is ${check.state}.`}>
          {link}
        </Check>
      )}
      {check?.difference && (
        <Check
          state={stateOf(check.difference)}
          title={`On ${plural(check.difference.n_cases, 'held-out case')} ${verdictOf(check.difference)}`}
        >
          {link}
          <span className="block font-mono text-xs text-soft">
            {signed(check.difference.difference)} ({signed(check.difference.low)} to{' '}
            {signed(check.difference.high)}), p {pValue(check.difference.p)}
          </span>
          {check.gap && <span className="block">Tuned too closely? {gapInWords(check.gap)}</span>}
          <span className="block text-xs text-soft">{looked}</span>
        </Check>
      )}
    </>
  )
}

type Difference = { low: number | null; high: number | null }

/** What asking both on so many cases comes to, by what their answers have cost; null where unknown. */
function costOf(arms: Props['a'][], n: number): number | null {
  const each = arms.filter((x) => !x.brought_in).map((x) => x.cost_per_1000)
  if (n === 0 || each.some((x) => x === null)) return null
  return (each.reduce<number>((sum, x) => sum + (x ?? 0), 0) * n) / 1000
}

function stateOf(f: Difference): 'so' | 'open' | 'against' {
  return (f.low ?? 0) > 0 ? 'so' : (f.high ?? 0) < 0 ? 'against' : 'open'
}

function verdictOf(f: Difference): string {
  if (f.low === null || f.high === null) return 'no figures.'
  return f.low > 0 ? 'it is ahead there too.' : f.high < 0 ? 'it is behind there.' : 'cannot tell.'
}
