import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, dataOf, inWords, type Schemas } from '@/api/client'
import { Area, Button, ErrorLine, Field, TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { AnswerView } from '@/stages/draft/try/AnswerView'
import { AskedModel } from '@/stages/draft/try/AskedModel'
import { useAsk } from '@/stages/draft/try/useAsk'
import { useFrame } from '../../BriefFrame'
import type { GridData } from '../grid/useGrid'
import { CoverageTable } from './CoverageTable'
import { Dimensions, usable, type Dimension } from './Dimensions'
import { ProposalView, type Standing } from './ProposalView'

type Props = { dataset: Schemas['DatasetShape']; data: GridData }
type Proposals = Schemas['ProposalsShape']

const FIRST: Dimension[] = [
  { name: 'length', values: 'short, long' },
  { name: 'mood', values: 'calm, angry, sarcastic' },
]

/** A model proposes cases from the brief; each is read, changed, taken or left. */
export function WriteCases({ dataset, data }: Props) {
  const { brief } = useFrame()
  const asking = useAsk(brief.id, 'cases')
  const [howMany, setHowMany] = useState('12')
  const [dimensions, setDimensions] = useState(FIRST)
  const [hard, setHard] = useState('two matters in one\nno facts at all')
  const [reading, setReading] = useState(false)
  const [found, setFound] = useState<Proposals | null>(null)
  const [standing, setStanding] = useState<Record<number, Standing>>({})
  const [problem, setProblem] = useState<unknown>(null)
  const body = {
    how_many: Number(howMany) || 0,
    dimensions: usable(dimensions),
    hard: hard.split('\n'),
  }
  const path = { params: { path: { dataset_id: dataset.id } } }
  const request = useQuery({
    queryKey: ['ask-cases', dataset.id, dataset.changed, body],
    queryFn: () => dataOf(api.POST('/api/datasets/{dataset_id}/ask-cases/', { ...path, body })),
    placeholderData: (former) => former,
    retry: false,
  })
  const take = async (text: string) => {
    setProblem(null)
    try {
      const read = await dataOf(
        api.POST('/api/datasets/{dataset_id}/read-cases/', {
          ...path,
          body: { text, dimensions: body.dimensions },
        }),
      )
      setFound(read)
      setStanding({})
    } catch (error) {
      setFound(null)
      setProblem(error)
    }
  }
  const go = async () => {
    if (!request.data) return
    setFound(null)
    setProblem(null)
    const result = await asking.ask(request.data, { temperature: 0.8, max_tokens: 8000 })
    if (result) await take(result.text)
  }
  const open = (found?.cases ?? []).map((_, i) => i).filter((i) => !standing[i])
  const put = (i: number, how: Standing) => setStanding((all) => ({ ...all, [i]: how }))
  /** Taken ones come in as cases of the version that is open. */
  const accept = async (places: number[], edited?: Schemas['ProposalShape']) => {
    setProblem(null)
    const cases = places.map((i) => edited ?? found?.cases[i]).filter((c) => c !== undefined)
    try {
      await data.change(
        cases.map((c) => ({
          values: c.values,
          reference: c.reference,
          tags: [...c.tags, 'proposed'],
          split: 'working',
        })),
        { why: `proposed by ${asking.modelName}` },
      )
      places.forEach((i) => put(i, 'taken'))
    } catch (error) {
      setProblem(error)
    }
  }
  const fresh = open.filter((i) => !isCopy(found?.cases[i]))
  return (
    <div className="grid gap-4">
      <Dimensions value={dimensions} onChange={setDimensions} />
      <div className="grid grid-cols-[1fr_8rem] gap-3">
        <Area
          label="Hard kinds to include, one a line"
          rows={3}
          value={hard}
          onChange={(e) => setHard(e.target.value)}
        />
        <Field
          label="How many"
          inputMode="numeric"
          value={howMany}
          onChange={(e) => setHowMany(e.target.value)}
        />
      </div>
      <div className="flex items-end gap-3">
        <AskedModel label="Model that writes them" asking={asking} />
        <Button
          kind="main"
          disabled={asking.running || asking.chosen === null || !request.data || request.isError}
          onClick={() => void go()}
        >
          {asking.asked ? 'Propose others' : 'Propose cases'}
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
      {request.isError && <ErrorLine>{inWords(request.error)}</ErrorLine>}
      {reading && request.data && (
        <div className="grid gap-2">
          <Area
            label="Instruction"
            rows={11}
            className="[&_textarea]:font-serif"
            value={asking.told(request.data)}
            onChange={(e) => asking.setInstruction(e.target.value)}
          />
          <p className="text-xs text-soft">
            Then the job, the dimensions, the hard kinds, and some working cases as examples; never
            a held-out one.
          </p>
        </div>
      )}
      {asking.answer && !found && <AnswerView answer={asking.answer} />}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {found && (
        <>
          <div className="flex flex-wrap items-baseline gap-3 border-t border-rule pt-3">
            <h3 className="text-lg">{plural(found.cases.length, 'proposal')}</h3>
            <span className="text-sm text-soft">
              {open.length === 0 ? 'all settled' : `${open.length} to settle`}
            </span>
            {fresh.length > 0 && (
              <Button small onClick={() => void accept(fresh)}>
                Take the {fresh.length} that copy nothing
              </Button>
            )}
          </div>
          {found.refused.length > 0 && (
            <p className="border-l-2 border-harm pl-3 text-sm text-harm">
              {plural(found.refused.length, 'item')} of the reply{' '}
              {found.refused.length === 1 ? 'is' : 'are'} no case:{' '}
              {found.refused
                .slice(0, 4)
                .map((r) => `no. ${r.place}: ${r.reason}`)
                .join('; ')}
            </p>
          )}
          <CoverageTable
            before={found.before}
            taken={found.cases.filter((_, i) => standing[i] !== 'left').map((c) => c.tags)}
            dataset={dataset.id}
            dimensions={body.dimensions}
            settled={found.cases.filter((_, i) => standing[i] === 'taken').length}
          />
          {found.cases.map((c, i) => (
            <ProposalView
              key={`${asking.asked} ${i}`}
              proposal={c}
              place={i + 1}
              standing={standing[i] ?? null}
              onTake={(edited) => void accept([i], edited)}
              onLeave={() => put(i, 'left')}
            />
          ))}
        </>
      )}
    </div>
  )
}

function isCopy(c: Schemas['ProposalShape'] | undefined): boolean {
  return c !== undefined && (c.near_case !== null || c.near_proposal !== null)
}
