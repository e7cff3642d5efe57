import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { amendByRule } from '@/api/reviews'
import { useWrite } from '@/api/useWrite'
import { ConsultationPanel } from '@/parts/consult/ConsultationPanel'
import { useConsultation } from '@/parts/consult/useConsultation'
import { Button, ErrorLine } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useFrame } from '../../frame'
import type { Purpose } from './purpose'
import { TakeOrLeave } from './TakeOrLeave'

type Props = {
  purpose: Purpose
  model: number | null
  trial: number
  version: number
  picked: Schemas['FaultShape'][]
  faults: Schemas['FaultShape'][]
  onOpen: (output: number) => void
}

/** A model proposes amendments for the ticked faults; the request is read and changed before it goes. */
export function Proposing({ purpose, model, trial, version, picked, faults, onOpen }: Props) {
  const { brief } = useFrame()
  const [byRule, setByRule] = useState<{
    proposed: Schemas['ProposedShape']
    of: Schemas['FaultShape'][]
  } | null>(null)
  const { write, problem } = useWrite()
  const ticked = picked.map((f) => f.key)
  const about = { brief: brief.id, trial, version, faults: ticked, model }
  const consulting = useConsultation(
    purpose,
    about,
    brief.id,
    purpose !== 'amendments' || ticked.length > 0,
  )
  const current = consulting.current
  // A reply about another version, trial or model is not this one's: it waits where it belongs.
  const mine =
    current !== null &&
    current.about['version'] === version &&
    current.about['trial'] === trial &&
    (purpose !== 'adapt' || current.about['model'] === model)
  const propose = () =>
    write(async () => {
      const proposed = await amendByRule(brief.id, { trial, version, faults: ticked, model })
      setByRule({ proposed, of: picked })
    })
  // The faults as they were sent: others may have joined the list since.
  const sent = (current?.about['faults'] as string[] | undefined) ?? []
  const of = sent.flatMap((key) => faults.filter((f) => f.key === key))
  return (
    <section className="mt-5 grid gap-3">
      <ConsultationPanel
        consulting={mine || current === null ? consulting : { ...consulting, current: null }}
        who="Model that proposes"
        action={
          mine
            ? 'Propose again'
            : purpose === 'shorter'
              ? 'Propose what can go'
              : `Propose amendments for ${plural(picked.length, 'fault')}`
        }
        lacks={[purpose === 'amendments' && picked.length === 0 && 'no fault is ticked']}
        beside={
          purpose !== 'shorter' && (
            <Button
              onClick={() => void propose()}
              title="From findings whose mending is known, and from what failed measures plainly ask for"
            >
              Propose by rule, without a model
            </Button>
          )
        }
      >
        {(reading, found) => (
          <TakeOrLeave
            key={found.id}
            trial={trial}
            version={version}
            purpose={purpose}
            proposed={{ proposals: reading.amendments ?? [], refused: [] }}
            faults={of}
            onOpen={onOpen}
            onSaved={() => void consulting.close(found.id, 'taken')}
          />
        )}
      </ConsultationPanel>
      {current !== null && !mine && (
        <p className="text-sm text-soft">
          A reply about v{String(current.about['version'])} is kept and not settled yet.
        </p>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {byRule?.proposed.proposals.length === 0 && (
        <p role="status" className="text-sm text-soft">
          No rule knows a change for {byRule.of.length === 1 ? 'this fault' : 'these faults'}: the
          text says already what they ask for. Ask a model, or say it in your own words in Draft.
        </p>
      )}
      {byRule && byRule.proposed.proposals.length > 0 && (
        <TakeOrLeave
          key={`rule ${byRule.of.map((f) => f.key).join()}`}
          trial={trial}
          version={version}
          purpose={purpose}
          proposed={byRule.proposed}
          faults={byRule.of}
          onOpen={onOpen}
        />
      )}
    </section>
  )
}
