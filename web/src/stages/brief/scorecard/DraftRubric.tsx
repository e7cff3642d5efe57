import { ConsultationPanel } from '@/parts/consult/ConsultationPanel'
import { useConsultation } from '@/parts/consult/useConsultation'
import { Button } from '@/parts/controls'
import { useFrame } from '../../frame'
import type { Criterion } from './card'

/** A model drafts criteria from the job; what it drafts is edited after. */
export function DraftRubric({ onTake }: { onTake: (criteria: Criterion[]) => void }) {
  const { brief } = useFrame()
  const consulting = useConsultation('rubric', { brief: brief.id }, brief.id)
  return (
    <ConsultationPanel
      consulting={consulting}
      who="Model that drafts it"
      action={consulting.current ? 'Draft another' : 'Draft it'}
    >
      {(reading, found) => (
        <>
          {(reading.criteria ?? []).map((c) => (
            <section key={c.name} className="border-l-2 border-rule-strong pl-3">
              <p>
                <strong>{c.name}</strong>{' '}
                <span className="text-sm text-soft">
                  {c.asks} weight {c.weight}
                </span>
              </p>
              <ol className="list-decimal pl-5 font-serif text-sm">
                {c.levels.map((l, i) => (
                  <li key={i}>{l}</li>
                ))}
              </ol>
            </section>
          ))}
          <div>
            <Button
              kind="main"
              onClick={() => {
                void consulting.close(found.id, 'taken')
                onTake(reading.criteria ?? [])
              }}
            >
              Take these, to edit them
            </Button>
          </div>
        </>
      )}
    </ConsultationPanel>
  )
}
