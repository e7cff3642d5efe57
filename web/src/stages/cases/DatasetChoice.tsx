import { useState } from 'react'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { changeDataset, copyDataset, createDataset } from '@/api/datasets'
import { useWrite } from '@/api/useWrite'
import { Chooser } from '@/parts/Chooser'
import { Button, ErrorLine, Field, TextAction } from '@/parts/controls'
import { count } from '@/parts/numbers'
import { useFrame } from '../frame'

type Dataset = Schemas['DatasetShape']
type Act = 'make' | 'rename' | 'copy'
type Props = { dataset: Dataset; choose: (id: number) => void }

/** The dataset in hand as a word that opens the others, and what can be done with it. */
export function DatasetChoice({ dataset, choose }: Props) {
  return (
    <Chooser label="Dataset" words={dataset.name}>
      {(close) => (
        <Choices
          dataset={dataset}
          choose={(id) => {
            choose(id)
            close()
          }}
          close={close}
        />
      )}
    </Chooser>
  )
}

function Choices({ dataset, choose, close }: Props & { close: () => void }) {
  const { brief } = useFrame()
  const [act, setAct] = useState<Act | null>(null)
  const [away, setAway] = useState(false)
  const { write, problem } = useWrite([...briefKeys(brief.id)])
  const there = brief.datasets.filter((d) => away || !d.archived || d.id === dataset.id)
  const archived = brief.datasets.length - brief.datasets.filter((d) => !d.archived).length
  const archive = (archived: boolean) =>
    write(async () => {
      await changeDataset(dataset.id, { archived, seen: seenOf(dataset) })
      close()
    })
  return (
    <div className="grid gap-2 text-base font-normal">
      <ul className="grid gap-0.5 text-sm">
        {there.map((d) => (
          <li key={d.id}>
            <button
              type="button"
              aria-current={d.id === dataset.id ? 'true' : undefined}
              className="flex w-full items-baseline gap-3 rounded-sm px-1.5 py-0.5 text-left hover:bg-wash-action aria-[current=true]:font-semibold"
              onClick={() => choose(d.id)}
            >
              <span className="min-w-0 flex-1 break-words">{d.name}</span>
              <span className="font-mono text-xs text-soft">
                {d.archived ? 'away, ' : ''}
                {count(d.working + d.held_out)}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {archived > 0 && !away && (
        <TextAction light className="text-left text-xs" onClick={() => setAway(true)}>
          {archived} put away
        </TextAction>
      )}
      <p className="flex flex-wrap gap-x-3 gap-y-1 border-t border-rule pt-2 text-sm">
        <TextAction onClick={() => setAct('make')}>Another dataset…</TextAction>
        <TextAction light onClick={() => setAct('rename')}>
          Rename…
        </TextAction>
        <TextAction light onClick={() => setAct('copy')}>
          Copy…
        </TextAction>
        <TextAction light onClick={() => void archive(!dataset.archived)}>
          {dataset.archived ? 'Bring it back' : 'Put it away'}
        </TextAction>
      </p>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {act && <NameForm key={act} act={act} dataset={dataset} onDone={choose} />}
    </div>
  )
}

/** What was shown of it: a change by somebody else in between is not overwritten. */
const seenOf = ({ name, archived }: Dataset) => ({ name, archived })

const WORDS: Record<Act, { label: string; button: string }> = {
  make: { label: 'Name of the further dataset', button: 'Open it' },
  rename: { label: 'Its name from now on', button: 'Rename it' },
  copy: { label: 'Name of the copy', button: 'Copy it' },
}

type NameProps = { act: Act; dataset: Dataset; onDone: (id: number) => void }

function NameForm({ act, dataset, onDone }: NameProps) {
  const { brief } = useFrame()
  const [name, setName] = useState(act === 'rename' ? dataset.name : '')
  const { write, pending, problem } = useWrite([...briefKeys(brief.id)])
  const go = () =>
    write(async () => {
      const done =
        act === 'make'
          ? await createDataset(brief.id, { name })
          : act === 'copy'
            ? await copyDataset(dataset.id, { name })
            : await changeDataset(dataset.id, { name, seen: seenOf(dataset) })
      onDone(done.id)
    })
  return (
    <form
      className="grid gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        void go()
      }}
    >
      <Field
        label={WORDS[act].label}
        value={name}
        maxLength={120}
        error={problem === null ? null : inWords(problem)}
        onChange={(e) => setName(e.target.value)}
      />
      <div>
        <Button kind="main" small type="submit" disabled={pending}>
          {WORDS[act].button}
        </Button>
      </div>
    </form>
  )
}
