import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, dataOf, inWords, type Schemas } from '@/api/client'
import { Button, ErrorLine, TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { Wording } from '@/parts/Wording'
import { asText } from '@/parts/text'
import { AnswerView } from '../../draft/try/AnswerView'
import { AskedModel } from '../../draft/try/AskedModel'
import { useAsk } from '../../draft/try/useAsk'
import { useFrame } from '../../BriefFrame'
import { TakeOrLeave } from './TakeOrLeave'

export type Purpose = 'amend' | 'trim' | 'adapt'
type Props = {
  purpose: Purpose
  model: number | null
  trial: number
  version: number
  picked: Schemas['FaultShape'][]
  onOpen: (output: number) => void
}

/** A model proposes amendments for the ticked faults; the request is read and changed before it goes. */
export function Proposing({ purpose, model, trial, version, picked, onOpen }: Props) {
  const { brief } = useFrame()
  const asking = useAsk(brief.id, 'amend')
  const [reading, setReading] = useState(false)
  const [found, setFound] = useState<{
    proposed: Schemas['ProposedShape']
    of: Schemas['FaultShape'][]
    key: string
  } | null>(null)
  const [problem, setProblem] = useState<unknown>(null)
  const body = { trial, version, faults: picked.map((f) => f.key), purpose, model }
  const request = useQuery({
    queryKey: ['ask-amendments', brief.id, body],
    queryFn: () =>
      dataOf(
        api.POST('/api/briefs/{brief_id}/ask-amendments/', {
          params: { path: { brief_id: brief.id } },
          body,
        }),
      ),
    placeholderData: (former) => former,
  })
  const go = async () => {
    if (!request.data) return
    setProblem(null)
    setFound(null)
    // The faults as they were sent: others may join the list while the model writes.
    const of = picked
    const result = await asking.ask(request.data, { temperature: 0.2, max_tokens: 4000 })
    if (!result) return
    try {
      const proposed = await dataOf(
        api.POST('/api/briefs/{brief_id}/read-amendments/', {
          params: { path: { brief_id: brief.id } },
          body: { version, text: result.text, n_faults: of.length, purpose },
        }),
      )
      setFound({ proposed, of, key: `m${asking.asked}` })
    } catch (error) {
      setProblem(error)
    }
  }
  const byRule = async () => {
    setProblem(null)
    try {
      const proposed = await dataOf(
        api.POST('/api/briefs/{brief_id}/amend-by-rule/', {
          params: { path: { brief_id: brief.id } },
          body,
        }),
      )
      setFound({ proposed, of: picked, key: `r${body.faults.join()}` })
    } catch (error) {
      setProblem(error)
    }
  }
  return (
    <section className="mt-5 grid gap-3">
      <div className="flex flex-wrap items-end gap-3">
        <AskedModel label="Model that proposes" asking={asking} />
        <Button
          kind="main"
          disabled={asking.running || asking.chosen === null || !request.data}
          onClick={() => void go()}
        >
          {found
            ? 'Propose again'
            : purpose === 'trim'
              ? 'Propose what can go'
              : `Propose amendments for ${plural(picked.length, 'fault')}`}
        </Button>
        {asking.running && (
          <Button kind="harm" onClick={asking.stop}>
            Stop
          </Button>
        )}
        {purpose !== 'trim' && (
          <Button
            disabled={asking.running}
            onClick={() => void byRule()}
            title="From findings whose mending is known, and from what failed measures plainly ask for"
          >
            Propose by rule, without a model
          </Button>
        )}
        <TextAction light className="ml-auto pb-1.5 text-sm" onClick={() => setReading(!reading)}>
          {reading ? 'Hide what is asked' : 'Read or change what is asked…'}
        </TextAction>
      </div>
      {request.isError && <ErrorLine>{inWords(request.error)}</ErrorLine>}
      {reading && request.data && (
        <>
          <Wording
            purpose={purpose}
            text={asking.told(request.data)}
            onText={asking.setInstruction}
          />
          {/* A scrolling region must be reachable by keyboard. */}
          <pre
            tabIndex={0}
            role="region"
            aria-label="What the model is shown"
            className="max-h-56 overflow-y-auto border-l-2 border-rule-strong bg-sheet px-3 py-2 font-mono text-xs break-words whitespace-pre-wrap"
          >
            {asText(request.data.inputs['model']) && `${asText(request.data.inputs['model'])}\n\n`}
            {asText(request.data.inputs['clauses'])}
            {'\n\n'}
            {asText(request.data.inputs['faults'])}
          </pre>
        </>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {asking.answer && !found && <AnswerView answer={asking.answer} />}
      {found && (
        <TakeOrLeave
          key={found.key}
          version={version}
          purpose={purpose}
          proposed={found.proposed}
          faults={found.of}
          onOpen={onOpen}
        />
      )}
    </section>
  )
}
