import { inWords, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { ConsultationPanel } from '@/parts/consult/ConsultationPanel'
import { useConsultation, type Reading } from '@/parts/consult/useConsultation'
import { Area, Button, ErrorLine, Field } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useFrame } from '../../frame'
import type { GridData } from '../grid/useGrid'
import { CoverageTable } from './CoverageTable'
import { Dimensions, usable, type Dimension } from './Dimensions'
import { ProposalView, type Standing } from './ProposalView'

type Props = { dataset: Schemas['DatasetShape']; data: GridData }

const FIRST: Dimension[] = [
  { name: 'length', values: 'short, long' },
  { name: 'mood', values: 'calm, angry, sarcastic' },
]

/** A model proposes cases from the brief; each is read, changed, taken or left. */
export function WriteCases({ dataset, data }: Props) {
  const { brief } = useFrame()
  const [howMany, setHowMany] = useTyped(`cases ${dataset.id} many`, '12')
  const [dimensions, setDimensions] = useTyped(`cases ${dataset.id} dimensions`, FIRST)
  const [hard, setHard] = useTyped(
    `cases ${dataset.id} hard`,
    'two matters in one\nno facts at all',
  )
  const about = {
    dataset: dataset.id,
    how_many: Number(howMany) || 0,
    dimensions: usable(dimensions),
    hard: hard.split('\n'),
  }
  const consulting = useConsultation('cases', about, brief.id)
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
      <ConsultationPanel
        consulting={consulting}
        who="Model that writes them"
        action={consulting.current ? 'Propose others' : 'Propose cases'}
        disabled={consulting.prepared.isError}
      >
        {(reading, found) => (
          <Proposals
            key={found.id}
            kept={`proposals ${found.id}`}
            reading={reading}
            dataset={dataset}
            data={data}
            dimensions={found.about['dimensions'] as Schemas['DimensionShape'][]}
            model={found.model}
            onSettled={() => {
              forgetTyped(`proposals ${found.id}`)
              void consulting.close(found.id, 'taken')
            }}
          />
        )}
      </ConsultationPanel>
    </div>
  )
}

type ProposalsProps = Props & {
  reading: Reading
  dimensions: Schemas['DimensionShape'][]
  model: string
  /** Where what is settled and changed of them is kept for a reload. */
  kept: string
  onSettled: () => void
}

/** The proposed cases, each taken, changed or left; the reply is done with once all are settled. */
function Proposals({ reading, dataset, data, dimensions, model, kept, onSettled }: ProposalsProps) {
  const [standing, setStanding] = useTyped<Record<number, Standing>>(`${kept} standing`, {})
  const { write, problem } = useWrite()
  const cases = reading.cases ?? []
  const open = cases.map((_, i) => i).filter((i) => !standing[i])
  const put = (i: number, how: Standing) => setStanding((all) => ({ ...all, [i]: how }))
  /** Taken ones come in as cases of the version that is open. */
  const accept = async (places: number[], edited?: Schemas['ProposalShape']) => {
    const chosen = places.map((i) => edited ?? cases[i]).filter((c) => c !== undefined)
    await write(async () => {
      await data.change(
        chosen.map((c) => ({
          values: c.values,
          reference: c.reference,
          tags: [...c.tags, 'proposed'],
          split: 'working',
        })),
        { why: `proposed by ${model}` },
      )
      places.forEach((i) => put(i, 'taken'))
    })
  }
  const fresh = open.filter((i) => !isCopy(cases[i]))
  return (
    <div className="grid gap-4">
      <div className="flex flex-wrap items-baseline gap-3">
        <h3 className="text-lg">{plural(cases.length, 'proposal')}</h3>
        <span className="text-sm text-soft">
          {open.length === 0 ? 'all settled' : `${open.length} to settle`}
        </span>
        {fresh.length > 0 && (
          <Button small onClick={() => void accept(fresh)}>
            Take the {fresh.length} that copy nothing
          </Button>
        )}
      </div>
      <CoverageTable
        before={reading.before ?? NONE}
        taken={cases.filter((_, i) => standing[i] !== 'left').map((c) => c.tags)}
        dataset={dataset.id}
        dimensions={dimensions}
        settled={cases.filter((_, i) => standing[i] === 'taken').length}
      />
      {cases.map((c, i) => (
        <ProposalView
          key={i}
          proposal={c}
          place={i + 1}
          kept={`${kept} ${i}`}
          standing={standing[i] ?? null}
          onTake={(edited) => void accept([i], edited)}
          onLeave={() => put(i, 'left')}
        />
      ))}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {open.length === 0 && (
        <div>
          <Button onClick={onSettled}>Done with these</Button>
        </div>
      )}
    </div>
  )
}

const NONE = { dimensions: [], pairs: 0, pairs_possible: 0 }

function isCopy(c: Schemas['ProposalShape'] | undefined): boolean {
  return c !== undefined && (c.near_case !== null || c.near_proposal !== null)
}
