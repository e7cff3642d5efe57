import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { briefKeys } from '@/api/briefs'
import { inWords } from '@/api/client'
import { askTwins, planTwinsQuery } from '@/api/twins'
import { useWrite } from '@/api/useWrite'
import { Chooser } from '@/parts/Chooser'
import { Button, ErrorLine } from '@/parts/controls'
import { costInWords, count, duration, inAList, plural } from '@/parts/numbers'
import { PlanProblems } from '@/parts/PlanProblems'
import { useModels } from '../../draft/try/ModelPicks'
import { ModelChooser } from '../../draft/answers/regionParts'
import { useFrame } from '../../frame'
import type { TwinSet } from './useTwins'

const MOST_MODELS = 8
const MOST_VERSIONS = 6
// Below this nobody waits.
const LONG_S = 20

/** Versions and models to ask, at a price told before. */
export function AskTwins({ set, onAsked }: { set: TwinSet; onAsked: (trial: number) => void }) {
  const { brief, inHand, beside } = useFrame()
  const models = useModels()
  const newest = brief.versions.at(-1)?.number
  const first = [beside, inHand ?? newest].filter((n) => n !== null && n !== undefined)
  const [versions, setVersions] = useState<number[]>([...new Set(first)])
  const [chosen, setChosen] = useState<number[] | null>(null)
  const asked = (chosen ?? models.slice(0, 1).map((m) => m.id)).filter((id) =>
    models.some((m) => m.id === id),
  )
  const body = { versions, models: asked, repeats: 1, budget: null }
  const ready = versions.length > 0 && asked.length > 0 && set.n_left < set.n_twins
  const plan = useQuery({ ...planTwinsQuery(set.id, body), enabled: ready, retry: false })
  const { write, pending, problem } = useWrite([...briefKeys(brief.id)])
  const p = plan.data
  const blocked = p?.problems.some((x) => x.severity === 'error')
  const price = p && (p.cost === null ? 'price unknown' : costInWords(p.cost, p.simulated_cost))
  return (
    <section aria-label="Ask the twins" className="mt-3">
      <p className="flex flex-wrap items-baseline gap-x-1.5 gap-y-2 text-sm">
        Ask
        <Chooser
          label="Versions"
          words={versions.length > 0 ? inAList(versions.map((v) => `v${v}`)) : 'no version'}
        >
          <fieldset className="grid gap-1">
            <legend className="mb-1 text-xs text-soft">
              The first is what others are held against
            </legend>
            {brief.versions
              .filter((v) => !v.archived)
              .sort((a, b) => b.number - a.number)
              .map((v) => (
                <label key={v.number} className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    checked={versions.includes(v.number)}
                    disabled={!versions.includes(v.number) && versions.length >= MOST_VERSIONS}
                    onChange={(e) =>
                      setVersions(
                        e.target.checked
                          ? [...versions, v.number].sort((a, b) => a - b)
                          : versions.filter((n) => n !== v.number),
                      )
                    }
                  />
                  v{v.number} <span className="truncate text-soft">{v.note}</span>
                </label>
              ))}
          </fieldset>
        </Chooser>
        on
        <ModelChooser models={models} chosen={asked} most={MOST_MODELS} onModels={setChosen} />
        <span className="ml-auto flex items-center gap-3">
          {p && p.in_store !== null && p.in_store > 0 && (
            <span className="text-xs text-soft">{count(p.in_store)} are in the store, free</span>
          )}
          <Button
            kind="main"
            disabled={pending || (ready && !p && !plan.isError)}
            lacks={[
              versions.length === 0 && 'no version is chosen',
              models.length === 0 && { words: 'no model is there to ask: add one', to: '/models' },
              models.length > 0 && asked.length === 0 && 'no model is chosen',
              set.n_left === set.n_twins && 'all twins of this set were left',
              blocked === true && 'what is told in red stands in the way',
            ]}
            onClick={() =>
              void write(async () => {
                const made = await askTwins(set.id, body)
                onAsked(made.trial)
              })
            }
          >
            Ask {p ? `${plural(p.calls, 'call')}, ${price}` : 'the twins'}
            {p?.seconds && p.seconds > LONG_S ? `, about ${duration(p.seconds)}` : ''}
          </Button>
        </span>
      </p>
      {plan.isError && <ErrorLine>{inWords(plan.error)}</ErrorLine>}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <PlanProblems problems={p?.problems} />
    </section>
  )
}
