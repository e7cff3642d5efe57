import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useRef, useState, type ReactNode } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { prefer, pairsQuery, preferencesQuery } from '@/api/reviews'
import { useTrial, useTrials } from '@/api/trials'
import { useWrite } from '@/api/useWrite'
import { KeyCaps } from '@/keys/KeyCaps'
import { KeyHints } from '@/keys/KeyHints'
import type { KeyName } from '@/keys/registry'
import { useKeys } from '@/keys/useKeys'
import { Note } from '@/parts/Margin'
import { Area, Button, Choice, Empty, ErrorLine, Waiting } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useTyped } from '@/parts/typed'
import { useFrame } from '../../frame'
import { StageGrid } from '../../StageGrid'
import { Inputs } from '../../trials/OutputView'
import { StrengthsTable } from './StrengthsTable'

type Outcome = 'left' | 'right' | 'tie'
const HINTS: [KeyName[], string][] = [
  [['pairs.left', 'pairs.right'], 'the better one'],
  [['pairs.alike'], 'alike'],
  [['pairs.reason'], 'reason'],
  [['pairs.next', 'pairs.before'], 'next, before'],
]

/** Two answers to one case side by side, the arms hidden and the sides drawn: which is better? */
export function PairsView({ nav }: { nav: ReactNode }) {
  const { brief } = useFrame()
  const trials = useTrials(brief.id)
  const [chosen, setChosen] = useState<number | null>(null)
  const usable = (trials.data ?? []).filter((t) => t.done > 0)
  const id = chosen ?? usable[0]?.id ?? null
  const trial = useTrial(id)
  if (trials.isPending || (id !== null && trial.isPending))
    return (
      <div className="px-6">
        <Waiting what="the trials" />
      </div>
    )
  if (!trial.data)
    return (
      <div className="px-6 pt-4">
        {nav}
        <Empty title="No answers to compare yet.">Run a trial of two arms or more.</Empty>
      </div>
    )
  return (
    <OfTrial key={trial.data.id} nav={nav} trial={trial.data} usable={usable} choose={setChosen} />
  )
}

function OfTrial({
  nav,
  trial,
  usable,
  choose,
}: {
  nav: ReactNode
  trial: Schemas['TrialSummary']
  usable: Schemas['TrialRow'][]
  choose: (id: number) => void
}) {
  // The best arm and the best of another version are what one has to choose between.
  const ranked = [...trial.arms].sort((a, b) => (b.mean ?? -1) - (a.mean ?? -1))
  const rival = ranked.find((a) => a.version !== ranked[0]?.version) ?? ranked[1]
  const best = [ranked[0], rival].flatMap((a) => (a ? [a.id] : []))
  const [arms, setArms] = useState(best)
  const cache = useQueryClient()
  const found = useQuery({
    ...pairsQuery(trial.id, { arms }),
    enabled: arms.length >= 2,
    staleTime: Infinity,
  })
  const result = useQuery(preferencesQuery(trial.id))
  // Strengths are worked out once one pauses, not after every key.
  const pause = useRef(0)
  const settled = () => {
    window.clearTimeout(pause.current)
    pause.current = window.setTimeout(
      () => void cache.invalidateQueries({ queryKey: ['trial', trial.id, 'preferences'] }),
      700,
    )
  }
  return (
    <StageGrid
      margin={
        <div className="grid gap-4">
          <h2 className="text-base">Arms in the pairs</h2>
          <div className="grid gap-1 text-sm">
            {trial.arms.map((a) => (
              <label key={a.id} className="flex items-baseline gap-2">
                <input
                  type="checkbox"
                  checked={arms.includes(a.id)}
                  onChange={(e) =>
                    setArms(e.target.checked ? [...arms, a.id] : arms.filter((x) => x !== a.id))
                  }
                />
                <span>
                  {a.in_words} <span className="text-xs text-soft">{a.settings_short}</span>
                </span>
              </label>
            ))}
          </div>
          <KeyHints rows={HINTS} />
          <Note title="Read blind">
            Which arm stands where is drawn for each case. What standing on the left does to your
            choice is worked out and shown.
          </Note>
        </div>
      }
    >
      {nav}
      <div className="flex items-end gap-4">
        <h1 className="text-xl">Pairs of trial {trial.number}</h1>
        {usable.length > 1 && (
          <Choice
            label="Trial"
            hideLabel
            className="w-40"
            value={trial.id}
            onChange={(e) => choose(Number(e.target.value))}
          >
            {usable.map((t) => (
              <option key={t.id} value={t.id}>
                trial {t.number}
              </option>
            ))}
          </Choice>
        )}
      </div>
      {arms.length < 2 && (
        <Empty title="Choose two arms at least.">They stand in the margin.</Empty>
      )}
      {found.isError && <ErrorLine>{inWords(found.error)}</ErrorLine>}
      {arms.length >= 2 && found.isPending && <Waiting what="the pairs" />}
      {found.data && (
        <Pairs key={arms.join(' ')} found={found.data} trial={trial.id} onSettled={settled} />
      )}
      {result.data?.result && <StrengthsTable result={result.data.result} arms={trial.arms} />}
    </StageGrid>
  )
}

function Pairs({
  found,
  trial,
  onSettled,
}: {
  found: Schemas['PairsShape']
  trial: number
  onSettled: () => void
}) {
  const [outcomes, setOutcomes] = useState<Record<number, Outcome>>(() =>
    Object.fromEntries(found.pairs.flatMap((p, i) => (p.outcome ? [[i, p.outcome]] : []))),
  )
  const [at, setAt] = useState(() =>
    Math.max(
      0,
      found.pairs.findIndex((p) => p.outcome === null),
    ),
  )
  const [reason, setReason] = useTyped(`pairs ${trial} reason`, '')
  const { write, problem } = useWrite()
  const box = useRef<HTMLDivElement>(null)
  const pair = found.pairs[at]
  const go = (to: number) => {
    setAt(Math.min(Math.max(to, 0), found.pairs.length - 1))
    setReason('')
  }
  const say = async (outcome: Outcome) => {
    if (!pair) return
    const [place, said, before] = [at, reason, outcomes[at]]
    setOutcomes({ ...outcomes, [place]: outcome })
    go(at + 1)
    const back = () => {
      setOutcomes((all) => {
        const rest = { ...all }
        if (before) rest[place] = before
        else delete rest[place]
        return rest
      })
      setAt(place)
      setReason(said)
    }
    await write(async () => {
      await prefer(trial, { left: pair.left, right: pair.right, outcome, reason: said })
      onSettled()
    }, back)
  }
  useKeys({
    'pairs.left': () => void say('left'),
    'pairs.right': () => void say('right'),
    'pairs.alike': () => void say('tie'),
    'pairs.reason': () => box.current?.querySelector('textarea')?.focus(),
    'pairs.next': () => go(at + 1),
    'pairs.before': () => go(at - 1),
  })
  if (!pair)
    return (
      <Empty title="Nothing to prefer.">
        {found.n_same > 0
          ? `In all ${plural(found.n_same, 'case')} both answers say the same.`
          : 'These arms have no case that both answered.'}
      </Empty>
    )
  const done = Object.keys(outcomes).length
  return (
    <div ref={box}>
      <p className="mt-1 border-b border-rule pb-2 text-sm text-soft">
        pair {at + 1} of {found.pairs.length}, {done} settled
        {found.n_same > 0 &&
          `; in ${plural(found.n_same, 'case')} both say the same and are left out`}
      </p>
      <div className="mt-3 grid gap-3" aria-live="polite">
        <Inputs inputs={pair.inputs} />
        <div className="grid grid-cols-2 gap-4">
          <Side
            name="left"
            text={pair.left_text}
            chosen={outcomes[at] === 'left'}
            onPrefer={() => void say('left')}
          />
          <Side
            name="right"
            text={pair.right_text}
            chosen={outcomes[at] === 'right'}
            onPrefer={() => void say('right')}
          />
        </div>
        <div className="flex items-end gap-3">
          <Button
            aria-pressed={outcomes[at] === 'tie'}
            className="aria-pressed:border-2 aria-pressed:border-ink"
            onClick={() => void say('tie')}
          >
            Alike <KeyCaps of="pairs.alike" />
          </Button>
          <Area
            label="Why, kept with the choice"
            rows={1}
            className="flex-1"
            value={reason}
            onChange={(e) => setReason(e.target.value)}
            onKeyDown={(e) => e.key === 'Escape' && e.currentTarget.blur()}
          />
          <Button onClick={() => go(at - 1)} lacks={[at === 0 && 'this is the first']}>
            Before
          </Button>
          <Button
            onClick={() => go(at + 1)}
            lacks={[at >= found.pairs.length - 1 && 'this is the last']}
          >
            Next
          </Button>
        </div>
        {problem !== null && (
          <ErrorLine>
            The choice was not stored, your reason is still here. {inWords(problem)}
          </ErrorLine>
        )}
      </div>
    </div>
  )
}

function Side({
  name,
  text,
  chosen,
  onPrefer,
}: {
  name: 'left' | 'right'
  text: string
  chosen: boolean
  onPrefer: () => void
}) {
  return (
    <section className="flex min-w-0 flex-col gap-2">
      <pre
        aria-label={`The ${name} answer`}
        dir="auto"
        className={`min-h-24 flex-1 bg-sheet px-3 py-2 font-mono text-sm break-words whitespace-pre-wrap ${chosen ? 'border-2 border-ink' : 'border border-rule'}`}
      >
        {text}
      </pre>
      <div>
        <Button aria-pressed={chosen} onClick={onPrefer}>
          The {name} one is better <KeyCaps of={name === 'left' ? 'pairs.left' : 'pairs.right'} />
        </Button>
      </div>
    </section>
  )
}
