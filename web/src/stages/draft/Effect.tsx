import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { armsInFullQuery } from '@/api/reviews'
import { trialQuery, useTrials } from '@/api/trials'
import { useChanges } from '@/api/versions'
import { Note } from '@/parts/Margin'
import { count, plural } from '@/parts/numbers'
import { nameOf, useCulprits } from '../verdict/culprits/useCulprits'

type Props = { brief: number; number: number; parent: number }

/** What the changes of a version did, in the newest trial that ran it beside its parent. */
export function Effect({ brief, number, parent }: Props) {
  const newest = (useTrials(brief).data ?? []).find(
    (t) => t.purpose === 'compare' && t.split === 'working',
  )
  const trial = useQuery({ ...trialQuery(newest?.id ?? 0), enabled: newest !== undefined }).data
  const full = useQuery({
    ...armsInFullQuery(newest?.id ?? 0, trial?.state),
    enabled: trial !== undefined && trial.state === 'complete',
  }).data
  const arms = trial?.arms ?? []
  const changes = useChanges(brief, number, parent).data?.amendments ?? []
  const many = changes.length
  // Of one change it is known which clause moved the cases; of several only what they did together.
  const clause = many === 1 ? (changes[0]?.after ?? changes[0]?.before) : undefined
  const only = many === 1 ? (clause ? `§ ${clause.number}` : 'the one change') : ''
  const reference = arms.find((a) => a.id === full?.reference)
  const own = arms.filter((a) => a.version === number)
  if (!trial || own.length === 0 || !arms.some((a) => a.version === parent)) return null
  const to = `/briefs/${brief}/trials/${trial.id}`
  if (trial.state !== 'complete')
    return (
      <Note tone="inform" title={`v${number} runs beside v${parent}`}>
        <Link className="font-sans text-xs underline" to={to}>
          See trial {trial.number}
        </Link>
      </Note>
    )
  // Held against the parent on the same model only: else two things differ.
  const same = own.filter((a) => reference?.version === parent && a.model === reference.model)
  return (
    <>
      {many > 1 && reference && same[0] && (
        <ByChange {...{ brief, trial: trial.id, older: reference.id, newer: same[0].id }} />
      )}
      {same.map((arm) => {
        const told = full?.arms.find((a) => a.arm === arm.id)
        if (!told || told.won === null || told.lost === null) return null
        const tone = told.won > told.lost ? 'action' : told.won < told.lost ? 'harm' : 'plain'
        return (
          <Note
            key={arm.id}
            tone={tone}
            title={
              <>
                {only ? `What it did, ${only}` : `What the ${count(many)} changes did together`}{' '}
                <span className="font-normal text-soft">on {arm.model}</span>
              </>
            }
          >
            {plural(told.won, 'case')} better, {told.lost} worse than v{parent}.{' '}
            <Link
              className="font-sans text-xs underline"
              to={`${to}?order=differ&arms=${reference?.id},${arm.id}`}
            >
              See them
            </Link>
          </Note>
        )
      })}
    </>
  )
}

type Pair = { brief: number; trial: number; older: number; newer: number }

/** What each of several changes did, where that was found out; else the way to find it out. */
function ByChange({ brief, trial, older, newer }: Pair) {
  const { found, isRead } = useCulprits(brief, trial, older, newer)
  const to = `/briefs/${brief}/verdict?trial=${trial}&a=${newer}&b=${older}#which`
  if (!isRead) return null
  if (!found || found.state !== 'complete')
    return (
      <p className="font-sans text-xs">
        <Link className="text-action underline" to={to}>
          {found ? 'It is being found out which of them did it' : 'Find out which of them did it'}
        </Link>
      </p>
    )
  return (
    <>
      {found.shares.map((s) => (
        <Note
          key={s.amendments.join()}
          tone={s.word === 'hurt' ? 'harm' : s.word === 'helped' ? 'action' : 'plain'}
          title={`What it did, ${nameOf(found, s.amendments)}`}
        >
          {plural(s.better, 'case')} better, {s.worse} worse.{' '}
          <Link className="font-sans text-xs underline" to={to}>
            See them
          </Link>
        </Note>
      ))}
    </>
  )
}
