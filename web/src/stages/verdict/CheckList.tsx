import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import type { Schemas } from '@/api/client'
import { adoptionQuery } from '@/api/verdicts'
import { Note } from '@/parts/Margin'
import { count, inAList, plural, signed } from '@/parts/numbers'
import { useFrame } from '../frame'
import { Check } from './Check'
import { HeldOutCheck } from './HeldOutCheck'
import { Word } from '@/parts/Word'

type Arm = Schemas['ArmOnBoard']
type Comparison = Schemas['ComparisonShape']
type Props = {
  trial: Schemas['TrialSummary']
  a: Arm
  b: Arm
  comparison: Comparison | undefined
}

/** What to have looked at before deciding: each line says whether it is so, and leads there. */
export function CheckList({ trial, a, b, comparison }: Props) {
  return (
    <>
      <ul className="grid gap-1.5 text-sm" aria-label="Check list">
        <Missing trial={trial} comparison={comparison} brought={a.brought_in || b.brought_in} />
        <HeldOutCheck key={`${a.id} ${b.id}`} trial={trial} a={a} b={b} />
        {comparison && <WorseRead trial={trial} a={a} b={b} changed={comparison.changed} />}
        <Thresholds arm={a} />
      </ul>
      <Unseen arm={a} ready={comparison !== undefined} />
      {(a.simulated || b.simulated) && (
        <Note tone="inform" title={<Word of="simulated">Simulated answers</Word>}>
          They show how the work goes. Run the trial on your own models before you adopt.
        </Note>
      )}
    </>
  )
}

type MissingProps = { trial: Props['trial']; comparison?: Comparison; brought: boolean }

function Missing({ trial, comparison, brought }: MissingProps) {
  const n = comparison?.figures?.n_cases
  if (trial.state !== 'complete')
    return (
      <Check state="against" title="The trial is not complete:">
        estimates only, no verdict can rest on part of it.
      </Check>
    )
  if (n === undefined) return null
  const lost = trial.n_cases - trial.examples - n
  const zero = comparison?.as_zero
  const shown = trial.examples > 0 && (
    <span className="text-soft">
      {plural(trial.examples, 'case')} left out for all arms: in an arm’s own text as worked
      examples, so proof of nothing.
    </span>
  )
  if (lost === 0)
    return (
      <Check state="so" title={`${plural(n, 'case')}, none missing.`}>
        {shown}
      </Check>
    )
  return (
    <Check state="open" title={`${count(lost)} of ${plural(n + lost, 'case')} missing:`}>
      {brought
        ? 'one of the two has no answer there.'
        : 'one of the two has no score there; a failed call is missing, not 0.'}{' '}
      {zero?.difference != null &&
        `Counted 0, the difference is ${signed(zero.difference)} (${signed(zero.low)} to ${signed(zero.high)}). `}
      {shown}
    </Check>
  )
}

type ReadProps = Omit<Props, 'comparison'> & { changed: Comparison['changed'] }

/** Cases that got worse are read before anything is decided; a mark on the answer says that it was. */
function WorseRead({ trial, a, b, changed }: ReadProps) {
  const { brief } = useFrame()
  const worse = changed.filter((c) => c.difference < 0)
  const next = worse.find((c) => !c.read)
  if (worse.length === 0) return <Check state="so" title="No case got worse." />
  const read = worse.filter((c) => c.read).length
  const cases = worse.length === 1 ? 'worse case' : 'worse cases'
  return (
    <Check
      state={next ? 'open' : 'so'}
      title={`${count(read)} of ${count(worse.length)} ${cases} read.`}
    >
      {next && (
        <Link
          className="text-action underline underline-offset-2"
          title="An answer counts as read once it is marked good, usable or bad"
          to={`/briefs/${brief.id}/trials/${trial.id}?arms=${a.id},${b.id}&differ=yes&order=differ&show=${a.id},${b.id}&case=${next.number}`}
        >
          Read and mark
        </Link>
      )}
    </Check>
  )
}

function Thresholds({ arm }: { arm: Arm }) {
  if (arm.thresholds.length === 0) return null
  const of = (state: string) => arm.thresholds.filter((t) => t.state === state)
  const missed = of('missed')
  const told = (['met', 'unsure', 'missed'] as const)
    .filter((state) => of(state).length > 0)
    .map((state) => `${of(state).length} ${state}`)
  const unsure = of('unsure').length > 0
  const state = missed.length > 0 ? 'against' : unsure ? 'open' : 'so'
  return (
    <Check state={state} title={`Thresholds: ${told.join(', ')}.`}>
      {missed.length > 0 &&
        `Missed: ${inAList(missed.map((t) => `${t.measure} ${t.rule} ${t.needed}`))}.`}
    </Check>
  )
}

/** What no measure of the scorecard looks at. */
function Unseen({ arm, ready }: { arm: Arm; ready: boolean }) {
  const asked = useQuery({ ...adoptionQuery(arm.id), enabled: ready })
  const unseen = asked.data?.unseen ?? []
  const rare = arm.unseen
  if (unseen.length === 0 && !rare) return null
  return (
    <Note tone="attention" title="What this score does not see">
      {unseen.length > 0 && `No measure looks at ${inAList(unseen)}. `}
      {rare}
    </Note>
  )
}
