import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, dataOf, inWords } from '@/api/client'
import { Area, Button, Choice, ErrorLine } from '@/parts/controls'
import { AnswerView } from '@/stages/draft/try/AnswerView'
import { useModels } from '@/stages/draft/try/ModelPicks'
import { useTries } from '@/stages/draft/try/useTries'
import { useFrame } from '../../BriefFrame'
import type { Criterion } from './CriteriaEditor'

/** A model drafts criteria from the job; what it is asked can be read and changed, what it drafts is edited after. */
export function DraftRubric({ onTake }: { onTake: (criteria: Criterion[]) => void }) {
  const { brief } = useFrame()
  const models = useModels()
  const { answers, run, running, stop } = useTries(brief.id)
  const request = useQuery({
    queryKey: ['ask-rubric', brief.id, brief.job],
    queryFn: () => dataOf(api.GET('/api/briefs/{brief_id}/ask-rubric/', { params: { path: { brief_id: brief.id } } })),
  })
  const [model, setModel] = useState<number | null>(null)
  const [instruction, setInstruction] = useState<string | null>(null)
  const [found, setFound] = useState<Criterion[] | null>(null)
  const [problem, setProblem] = useState<unknown>(null)
  const [asked, setAsked] = useState(0)
  const chosen = model ?? models.at(-1)?.id ?? null
  const answer = answers[`rubric${asked}`]
  const go = async () => {
    if (chosen === null || !request.data) return
    setProblem(null)
    setFound(null)
    setAsked(asked + 1)
    const key = `rubric${asked + 1}`
    const messages = request.data.messages.map((m) => (m.role === 'system' && instruction !== null ? { ...m, content: instruction } : m))
    const result = (await run([{ key, model: chosen, messages, settings: { temperature: 0.3, max_tokens: 3000 }, inputs: request.data.inputs, reference: null, repeat: asked }]))[key]?.result
    if (!result) return
    try {
      const read = await dataOf(api.POST('/api/read-rubric/', { body: { text: result.text, finish_reason: result.finish_reason ?? '' } }))
      setFound(read.criteria)
    } catch (error) {
      setProblem(error)
    }
  }
  return (
    <div className="grid gap-4">
      <Area label="What the model is asked; then the job of this brief" rows={12} className="[&_textarea]:font-serif" value={instruction ?? request.data?.messages[0]?.content ?? ''} onChange={(e) => setInstruction(e.target.value)} />
      <div className="flex items-end gap-3">
        <Choice label="Model that drafts it" value={chosen ?? ''} onChange={(e) => setModel(Number(e.target.value))}>
          {models.map((m) => <option key={m.id} value={m.id}>{m.name}{m.simulated ? ' (simulated)' : ''}</option>)}
        </Choice>
        <Button kind="main" disabled={running || chosen === null || !request.data} onClick={() => void go()}>{asked ? 'Draft another' : 'Draft it'}</Button>
        {running && <Button kind="harm" onClick={stop}>Stop</Button>}
      </div>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {found ? (
        <>
          {found.map((c) => (
            <section key={c.name} className="border-l-2 border-rule-strong pl-3">
              <p><strong>{c.name}</strong> <span className="text-sm text-soft">{c.asks} weight {c.weight ?? 1}</span></p>
              <ol className="list-decimal pl-5 font-serif text-sm">{c.levels.map((l, i) => <li key={i}>{l}</li>)}</ol>
            </section>
          ))}
          <div><Button kind="main" onClick={() => onTake(found)}>Take these, to edit them</Button></div>
        </>
      ) : (
        answer && <AnswerView answer={answer} />
      )}
    </div>
  )
}
