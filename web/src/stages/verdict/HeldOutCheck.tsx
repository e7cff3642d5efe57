import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { heldOutCheckQuery, startCheck } from '@/api/verdicts'
import { Note } from '@/parts/Margin'
import { Button, ErrorLine } from '@/parts/controls'
import { plural, pValue, signed, lookedAt } from '@/parts/numbers'
import { useFrame } from '../frame'
import { gapInWords } from '../review/rounds/words'

type Props = {
  trial: { id: number; split: string; state: string }
  a: { id: number; letter: string }
  b: { id: number; letter: string }
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
  return (
    <>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {!check && (
        <Note tone="attention" title="Not checked on held-out cases">
          These cases may have been tuned on. {looked}
          {n_cases === 0
            ? ' There are none to check on: hold some out under Cases.'
            : trial.state === 'complete' && (
                <span className="mt-1 block font-sans">
                  {sure ? (
                    <span className="flex flex-wrap gap-2">
                      <Button small kind="main" onClick={() => void start()}>
                        Run both on {plural(n_cases, 'case')}
                      </Button>
                      <Button small kind="quiet" onClick={() => setSure(false)}>
                        Not yet
                      </Button>
                    </span>
                  ) : (
                    <Button small onClick={() => setSure(true)}>
                      Held-out check…
                    </Button>
                  )}
                </span>
              )}
        </Note>
      )}
      {check && check.state !== 'complete' && (
        <Note tone="inform" title="The held-out check">
          It is {check.state}. {link}
        </Note>
      )}
      {check?.difference && (
        <Note
          tone={
            (check.difference.low ?? 0) > 0
              ? 'action'
              : (check.difference.high ?? 0) < 0
                ? 'harm'
                : 'attention'
          }
          title="On held-out cases"
        >
          {a.letter} against {b.letter} on {plural(check.difference.n_cases, 'case')}:{' '}
          {verdictOf(check.difference)} {link}
          <span className="block font-mono text-xs text-soft">
            {signed(check.difference.difference)} ({signed(check.difference.low)} to{' '}
            {signed(check.difference.high)}), p {pValue(check.difference.p)}
          </span>
          {check.gap && (
            <span className="mt-1 block">Tuned too closely? {gapInWords(check.gap)}</span>
          )}
          <span className="mt-1 block font-sans text-xs text-soft">{looked}</span>
        </Note>
      )}
    </>
  )
}

function verdictOf(f: { low: number | null; high: number | null }): string {
  if (f.low === null || f.high === null) return 'no figures.'
  return f.low > 0 ? 'it is ahead there too.' : f.high < 0 ? 'it is behind there.' : 'cannot tell.'
}
