import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { splitCases } from '@/api/datasets'
import { useWrite } from '@/api/useWrite'
import { Button, Choice, ErrorLine, Field } from '@/parts/controls'
import { count } from '@/parts/numbers'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useFrame } from '../frame'

type Dataset = Schemas['DatasetShape']

/** Every case falls to one side by chance; each label or tag gives its share, near-copies stay together. */
export function SplitForm({ dataset, onDone }: { dataset: Dataset; onDone: () => void }) {
  const { brief } = useFrame()
  const place = `split ${dataset.id}`
  const [share, setShare] = useTyped(`${place} share`, '25')
  const [seed, setSeed] = useTyped(`${place} seed`, '0')
  const [by, setBy] = useTyped(`${place} by`, 'reference')
  const { write, problem } = useWrite([...briefKeys(brief.id), ['cases', dataset.id]])
  const go = () =>
    write(async () => {
      await splitCases(dataset.id, { share: Number(share) / 100, seed: Number(seed), by })
      forgetTyped(place)
      onDone()
    })
  return (
    <form
      className="grid gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        void go()
      }}
    >
      <div className="grid grid-cols-3 gap-3">
        <Field
          label="Share held out, percent"
          inputMode="decimal"
          value={share}
          onChange={(e) => setShare(e.target.value)}
        />
        <Choice label="The same share of each" value={by} onChange={(e) => setBy(e.target.value)}>
          <option value="reference">reference</option>
          <option value="tags">combination of tags</option>
          <option value="nothing">no parts: all as one</option>
        </Choice>
        <Field
          label="Seed"
          inputMode="numeric"
          value={seed}
          onChange={(e) => setSeed(e.target.value)}
        />
      </div>
      <p className="text-sm text-soft">
        All {count(dataset.working + dataset.held_out)} cases are dealt anew, as a new version of
        the dataset; near-copies stay on one side.
        {dataset.held_out > 0 &&
          ' Cases you have tuned on may come to the held-out side: deal before you tune.'}
      </p>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <div>
        <Button kind="main" type="submit">
          Deal them
        </Button>
      </div>
    </form>
  )
}
