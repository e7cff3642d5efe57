import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, dataOf, inWords } from '@/api/client'
import { Area, Button, ErrorLine } from '@/parts/controls'
import { AnswerView } from '@/stages/draft/try/AnswerView'
import { AskedModel } from '@/stages/draft/try/AskedModel'
import { useAsk } from '@/stages/draft/try/useAsk'
import { useFrame } from '../../BriefFrame'
import type { Criterion } from './CriteriaEditor'

/** A model drafts criteria from the job; what it is asked can be read and changed, what it drafts is edited after. */
export function DraftRubric({ onTake }: { onTake: (criteria: Criterion[]) => void }) {
  const { brief } = useFrame()
  const asking = useAsk(brief.id, 'rubric')
  const request = useQuery({
    queryKey: ['ask-rubric', brief.id, brief.job],
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/ask-rubric/', { params: { path: { brief_id: brief.id } } }),
      ),
  })
  const [found, setFound] = useState<Criterion[] | null>(null)
  const [problem, setProblem] = useState<unknown>(null)
  const go = async () => {
    if (!request.data) return
    setProblem(null)
    setFound(null)
    const result = await asking.ask(request.data, { temperature: 0.3, max_tokens: 3000 })
    if (!result) return
    try {
      const read = await dataOf(
        api.POST('/api/read-rubric/', {
          body: { text: result.text, finish_reason: result.finish_reason ?? '' },
        }),
      )
      setFound(read.criteria)
    } catch (error) {
      setProblem(error)
    }
  }
  return (
    <div className="grid gap-4">
      <Area
        label="What the model is asked; then the job of this brief"
        rows={12}
        className="[&_textarea]:font-serif"
        value={asking.told(request.data)}
        onChange={(e) => asking.setInstruction(e.target.value)}
      />
      <div className="flex items-end gap-3">
        <AskedModel label="Model that drafts it" asking={asking} />
        <Button
          kind="main"
          disabled={asking.running || asking.chosen === null || !request.data}
          onClick={() => void go()}
        >
          {asking.asked ? 'Draft another' : 'Draft it'}
        </Button>
        {asking.running && (
          <Button kind="harm" onClick={asking.stop}>
            Stop
          </Button>
        )}
      </div>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {found ? (
        <>
          {found.map((c) => (
            <section key={c.name} className="border-l-2 border-rule-strong pl-3">
              <p>
                <strong>{c.name}</strong>{' '}
                <span className="text-sm text-soft">
                  {c.asks} weight {c.weight ?? 1}
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
            <Button kind="main" onClick={() => onTake(found)}>
              Take these, to edit them
            </Button>
          </div>
        </>
      ) : (
        asking.answer && <AnswerView answer={asking.answer} />
      )}
    </div>
  )
}
