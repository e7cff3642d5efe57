import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { briefKeys } from '@/api/briefs'
import { inWords, Problem, sentence, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { adoptArm, adoptionQuery, verdictsQuery } from '@/api/verdicts'
import { Area, Button, ErrorLine } from '@/parts/controls'
import { score } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useFrame } from '../frame'
import { armName } from './names'

type Arm = Schemas['ArmOnBoard']
type Trial = Schemas['TrialSummary']

/** The decision, with a reason; what it has to answer to is told before. */
export function Adopt({
  trial,
  arm,
  against,
  comparing = false,
}: {
  trial: Trial
  arm: Arm
  /** The comparison is still worked out: nobody decides before it stands there. */
  comparing?: boolean
  /** What it was compared with; null for an arm that is alone. */
  against: Arm | null
}) {
  const { brief } = useFrame()
  const [open, setOpen] = useState(false)
  const place = `adopt ${arm.id}`
  const [reason, setReason] = useTyped(place, '')
  const { write, problem } = useWrite([
    ...briefKeys(brief.id),
    verdictsQuery(brief.id).queryKey,
    ['brief', brief.id, 'standing'],
  ])
  const asked = useQuery({ ...adoptionQuery(arm.id), enabled: open, staleTime: 0 })
  const reservations = asked.data?.reservations ?? []
  const adopt = () =>
    write(async () => {
      await adoptArm(brief.id, { arm: arm.id, against: against?.id ?? null, reason })
      setOpen(false)
      setReason('')
      forgetTyped(place)
    })
  const reasonError =
    problem instanceof Problem && problem.field === 'reason' ? inWords(problem) : null
  return (
    <>
      <Button
        kind="main"
        lacks={[
          trial.state !== 'complete' && 'its trial has not answered every case',
          comparing && 'the comparison is still worked out',
        ]}
        onClick={() => setOpen(true)}
        className="justify-self-start"
      >
        Adopt {arm.version_label} on {arm.model_short}…
      </Button>
      <Overlay
        open={open}
        onOpenChange={setOpen}
        title={`Adopt ${arm.version_label} on ${arm.model_short}`}
      >
        <form
          className="grid gap-3"
          onSubmit={(e) => {
            e.preventDefault()
            void adopt()
          }}
        >
          <p className="text-sm text-soft">
            Recorded with the figures as they are now: {armName(arm)}, score {score(arm.mean)} (
            {score(arm.low)} to {score(arm.high)}) in trial {trial.number}.
          </p>
          {arm.thresholds.length > 0 && (
            <ul className="text-sm">
              {arm.thresholds.map((t) => (
                <li key={t.measure + t.rule}>
                  {t.measure} {t.rule} {t.needed}:{' '}
                  <strong
                    className={
                      t.state === 'met'
                        ? 'text-action'
                        : t.state === 'missed'
                          ? 'text-harm'
                          : 'text-attention-text'
                    }
                  >
                    {t.state}
                  </strong>{' '}
                  <span className="font-mono text-xs text-soft">
                    {score(t.mean, 3)}, {score(t.low, 3)} to {score(t.high, 3)}
                  </span>
                </li>
              ))}
            </ul>
          )}
          {reservations.length > 0 && (
            <div className="border-l-2 border-attention bg-wash-attention px-3 py-2 text-sm">
              {reservations.map((r) => (
                <p key={r}>{sentence(r)}</p>
              ))}
              <p className="mt-1 text-soft">Say why it is adopted all the same.</p>
            </div>
          )}
          <Area
            label={reservations.length > 0 ? 'Why this arm, all the same' : 'Why this arm'}
            rows={3}
            value={reason}
            error={reasonError}
            onChange={(e) => setReason(e.target.value)}
          />
          {problem !== null && !reasonError && <ErrorLine>{inWords(problem)}</ErrorLine>}
          <div>
            <Button kind="main" type="submit">
              Adopt it
            </Button>
          </div>
        </form>
      </Overlay>
    </>
  )
}
