import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, dataOf, inWords, type Schemas } from '@/api/client'
import { useRefreshBrief } from '@/api/queries'
import { Area, Button, ErrorLine, TextAction } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { asText } from '@/parts/text'
import { useFrame } from '../../BriefFrame'
import { AnswerView } from '../try/AnswerView'
import { AskedModel } from '../try/AskedModel'
import { useAsk } from '../try/useAsk'

type Written = Schemas['WrittenShape']

/** A model writes a version from the brief alone, clause by clause with a reason each; you take what you want. */
export function DraftFromBrief({ onDone }: { onDone: (version: number) => void }) {
  const { brief } = useFrame()
  const asking = useAsk(brief.id, 'write')
  const [reading, setReading] = useState(false)
  const [written, setWritten] = useState<Written | null>(null)
  const [problem, setProblem] = useState<unknown>(null)
  const request = useQuery({
    queryKey: ['ask-first', brief.id],
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/ask-first-version/', {
          params: { path: { brief_id: brief.id } },
        }),
      ),
    staleTime: 0,
    retry: false,
  })
  const go = async () => {
    if (!request.data) return
    setProblem(null)
    setWritten(null)
    const result = await asking.ask(request.data, { temperature: 0.2, max_tokens: 4000 })
    if (!result) return
    try {
      setWritten(
        await dataOf(
          api.POST('/api/briefs/{brief_id}/read-first-version/', {
            params: { path: { brief_id: brief.id } },
            body: { text: result.text },
          }),
        ),
      )
    } catch (error) {
      setProblem(error)
    }
  }
  if (request.isError)
    return <ErrorLine>{inWords(request.error)} Write it under Brief first.</ErrorLine>
  return (
    <div className="grid gap-3">
      <p className="text-sm text-soft">
        From the job, the facts that open questions have settled, and the columns of the cases.
        Nothing is saved before you say so.
      </p>
      <div className="flex items-end gap-3">
        <AskedModel label="Model that writes" asking={asking} />
        <Button
          kind={written ? 'plain' : 'main'}
          disabled={asking.running || asking.chosen === null || !request.data}
          onClick={() => void go()}
        >
          {written ? 'Write another' : 'Write it'}
        </Button>
        {asking.running && (
          <Button kind="harm" onClick={asking.stop}>
            Stop
          </Button>
        )}
        <TextAction light className="ml-auto pb-1.5 text-sm" onClick={() => setReading(!reading)}>
          {reading ? 'Hide what is asked' : 'Read or change what is asked…'}
        </TextAction>
      </div>
      {reading && request.data && (
        <>
          <Area
            label="Instruction"
            rows={9}
            className="[&_textarea]:font-serif"
            value={asking.told(request.data)}
            onChange={(e) => asking.setInstruction(e.target.value)}
          />
          <pre className="max-h-40 overflow-y-auto border-l-2 border-rule-strong bg-sheet px-3 py-2 font-mono text-xs whitespace-pre-wrap">
            {asText(request.data.inputs['job'])}
            {'\n\n'}
            {asText(request.data.inputs['inputs'])}
          </pre>
        </>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {asking.answer && !written && <AnswerView answer={asking.answer} />}
      {written && (
        <Taking key={asking.asked} written={written} model={asking.modelName} onDone={onDone} />
      )}
    </div>
  )
}

function Taking({
  written,
  model,
  onDone,
}: {
  written: Written
  model: string
  onDone: (version: number) => void
}) {
  const { brief } = useFrame()
  const refresh = useRefreshBrief(brief.id)
  const [left, setLeft] = useState<number[]>([])
  const [problem, setProblem] = useState<unknown>(null)
  const clauses = written.clauses.filter((_, i) => !left.includes(i))
  const composed = useQuery({
    queryKey: ['compose', brief.id, clauses],
    queryFn: () =>
      dataOf(
        api.POST('/api/briefs/{brief_id}/compose/', {
          params: { path: { brief_id: brief.id } },
          body: { clauses },
        }),
      ),
    placeholderData: (former) => former,
    retry: false,
  })
  const save = async () => {
    if (!composed.data) return
    setProblem(null)
    try {
      const made = await dataOf(
        api.POST('/api/briefs/{brief_id}/versions/', {
          params: { path: { brief_id: brief.id } },
          body: {
            messages: composed.data.messages,
            settings: {},
            parent: null,
            second_parent: null,
            origin: 'drafted',
            note: `drafted from the brief by ${model}`,
            reasons: composed.data.reasons.map((r) => ({
              ...r,
              kind: 'add' as const,
              fault: '',
              cases: 0,
              outputs: [],
            })),
          },
        }),
      )
      refresh()
      onDone(made.number)
    } catch (error) {
      setProblem(error)
    }
  }
  return (
    <>
      {written.refused.map((r) => (
        <p key={r.place} className="border-l-2 border-harm pl-3 text-sm text-harm">
          Clause {r.place} refused: {r.reason}.
        </p>
      ))}
      {written.repaired.map((r) => (
        <p key={r} className="border-l-2 border-attention pl-3 text-sm text-attention-text">
          {r[0]?.toUpperCase()}
          {r.slice(1)}.
        </p>
      ))}
      <ol aria-label="Clauses">
        {written.clauses.map((c, i) => (
          <li
            key={i}
            className="grid grid-cols-[auto_minmax(0,1fr)_12rem] items-baseline gap-3 border-b border-rule py-1.5"
          >
            <input
              type="checkbox"
              aria-label={`Take: ${c.text}`}
              checked={!left.includes(i)}
              onChange={(e) =>
                setLeft(e.target.checked ? left.filter((n) => n !== i) : [...left, i])
              }
            />
            <span
              className={`font-serif text-base break-words whitespace-pre-wrap ${left.includes(i) ? 'text-soft line-through' : ''}`}
            >
              {c.text}
            </span>
            <span className="text-xs text-soft">
              <span className="font-semibold">{c.part}</span>: {c.reason}
            </span>
          </li>
        ))}
      </ol>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {composed.isError && <ErrorLine>{inWords(composed.error)}</ErrorLine>}
      <div className="flex items-baseline gap-3">
        <Button
          kind="main"
          disabled={!composed.data || composed.isError || clauses.length === 0}
          onClick={() => void save()}
        >
          Save {plural(clauses.length, 'clause')} as v{(brief.versions.at(-1)?.number ?? 0) + 1}
        </Button>
        {composed.data && (
          <span className="text-sm text-soft">about {count(composed.data.tokens)} tokens</span>
        )}
      </div>
    </>
  )
}
