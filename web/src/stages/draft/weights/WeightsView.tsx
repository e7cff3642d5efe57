import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { getWeighingQuery } from '@/api/weights'
import { Choice, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { count } from '@/parts/numbers'
import { useFrame } from '../../frame'
import { WeighedClauses } from './WeighedClauses'
import { useWeighings } from './useWeighed'
import { WeighForm } from './WeighForm'

// The screening is a trial with its own page; here its progress is asked for at this pace.
const PACE_MS = 1500

type Props = { version: Schemas['VersionDetail']; unsaved: boolean }

export const UNDER_WAY = ['queued', 'running']

/** What each clause of the saved version is worth, beside it; or the form that starts the weighing. */
export function WeightsView({ version, unsaved }: Props) {
  const { brief } = useFrame()
  const [chosen, setChosen] = useState<number | 'new' | null>(null)
  const list = useWeighings(brief.id)
  const own = (list.data ?? []).filter((w) => w.version === version.number)
  const shown = chosen === 'new' ? null : (chosen ?? own[0]?.id ?? null)
  const weighing = useQuery({
    ...getWeighingQuery(shown ?? 0),
    enabled: shown !== null,
    refetchInterval: (q) =>
      q.state.data &&
      [q.state.data, ...q.state.data.strikes].some((t) => UNDER_WAY.includes(t.state))
        ? PACE_MS
        : false,
    staleTime: 0,
  })
  if (list.isPending) return <Waiting what="the weighings" />
  if (list.isLoadingError) return <ErrorLine>{inWords(list.error)}</ErrorLine>
  const refresh = () => void Promise.all([list.refetch(), weighing.refetch()])
  return (
    <>
      <div className="flex flex-wrap items-end gap-x-4 gap-y-2">
        {own.length > 0 && (
          <Choice
            label="Weighing"
            hideLabel
            className="w-96"
            value={shown ?? ''}
            onChange={(e) => setChosen(Number(e.target.value))}
          >
            {shown === null && <option value="">a new weighing</option>}
            {own.map((w) => (
              <option key={w.id} value={w.id}>
                trial {w.trial_number}: on {w.model}
                {w.settings_short && `, ${w.settings_short}`}, {w.n_cases} cases
              </option>
            ))}
          </Choice>
        )}
        {shown !== null && (
          <TextAction className="pb-1.5 text-sm" onClick={() => setChosen('new')}>
            Weigh again
          </TextAction>
        )}
        {unsaved && (
          <p className="pb-1.5 text-sm text-attention-text">
            Weights are of v{version.number} as it is saved; what you have typed since is not in
            them.
          </p>
        )}
      </div>
      {shown === null ? (
        <WeighForm
          version={version}
          onStarted={(id) => {
            setChosen(id)
            void list.refetch()
          }}
        />
      ) : weighing.isPending ? (
        <Waiting what="the weights" />
      ) : weighing.isError ? (
        <ErrorLine>{inWords(weighing.error)}</ErrorLine>
      ) : weighing.data.state === 'complete' ? (
        <WeighedClauses key={shown} weighing={weighing.data} onChange={refresh} />
      ) : (
        <p className="mt-4 border-l-2 border-inform bg-wash-inform px-3 py-2 text-sm" role="status">
          {UNDER_WAY.includes(weighing.data.state)
            ? `The weighing is running: ${count(weighing.data.done)} of ${count(weighing.data.of)} answers are there. Weights show when all are in.`
            : `The weighing is ${weighing.data.state}${weighing.data.message ? `: ${weighing.data.message}` : ''}. It has ${count(weighing.data.done)} of ${count(weighing.data.of)} answers; what is missing can be run from its page.`}{' '}
          <Link
            className="font-semibold text-action underline underline-offset-2"
            to={`/briefs/${brief.id}/trials/${weighing.data.trial}`}
          >
            Trial {weighing.data.trial_number}
          </Link>
        </p>
      )}
    </>
  )
}
