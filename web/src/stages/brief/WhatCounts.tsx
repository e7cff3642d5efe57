import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { briefKeys, saveScorecard } from '@/api/briefs'
import { inWords } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { firstScorecardQuery } from '@/api/wishes'
import { Button, ErrorLine, Waiting } from '@/parts/controls'
import { useFrame } from '../frame'

/** What the prompt itself asks for and the references show, one tick each: a first scorecard in one press. */
export function WhatCounts({ onWrite }: { onWrite: () => void }) {
  const { brief } = useFrame()
  const found = useQuery(firstScorecardQuery(brief.id))
  const [left, setLeft] = useState<number[]>([])
  const { write, pending, problem } = useWrite([...briefKeys(brief.id)])
  if (found.isPending) return <Waiting what="the prompt" />
  const proposed = found.data ?? []
  const taken = proposed.filter((_, i) => !left.includes(i))
  const use = () =>
    void write(async () => {
      await saveScorecard(brief.id, {
        document: { nomikon: 'scorecard/1', measures: taken.map((p) => p.measure) },
      })
    })
  return (
    <div className="grid gap-3">
      <p className="font-serif text-base">
        {proposed.length > 0
          ? 'Asked for in your prompt, and what the cases show; one tick each:'
          : 'Nothing in the prompt or the cases says what could be checked. A trial needs one measure at least.'}
      </p>
      <ul className="grid gap-1.5">
        {proposed.map((p, i) => (
          <li key={i} className="text-sm">
            <label className="flex items-baseline gap-2">
              <input
                type="checkbox"
                checked={!left.includes(i)}
                onChange={(e) =>
                  setLeft(e.target.checked ? left.filter((n) => n !== i) : [...left, i])
                }
              />
              <span>
                <span className="font-semibold">
                  {String(p.measure['name'] ?? p.measure['measure']).replaceAll('-', ' ')}
                </span>{' '}
                <span className="text-soft">{p.why}</span>
              </span>
            </label>
          </li>
        ))}
      </ul>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <div className="flex gap-3">
        {proposed.length > 0 && (
          <Button
            kind="main"
            disabled={pending}
            lacks={[taken.length === 0 && 'none is ticked']}
            onClick={use}
          >
            {taken.length === 1 ? 'Use this one' : `Use these ${taken.length}`}
          </Button>
        )}
        <Button kind={proposed.length > 0 ? 'plain' : 'main'} onClick={onWrite}>
          Write it out…
        </Button>
      </div>
    </div>
  )
}
