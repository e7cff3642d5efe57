import { useState } from 'react'
import { baselinesQuery, changeBaseline } from '@/api/baselines'
import { inWords, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { Chooser } from '@/parts/Chooser'
import { Button, Field, TextAction } from '@/parts/controls'
import { count } from '@/parts/numbers'
import { useFrame } from '../../frame'

type Baseline = Schemas['BaselineShape']
type Props = {
  baseline: Baseline
  all: Baseline[]
  choose: (id: number) => void
  another: () => void
}

/** Whose answers are open: others, another set, another name. */
export function BaselineChoice({ baseline, all, choose, another }: Props) {
  return (
    <Chooser label="Answers from elsewhere" words={baseline.name}>
      {(close) => (
        <div className="grid gap-2">
          <ul className="grid gap-0.5">
            {all.map((b) => (
              <li key={b.id}>
                <button
                  type="button"
                  aria-current={b.id === baseline.id ? 'true' : undefined}
                  className="flex w-full items-baseline gap-2 rounded-sm px-1.5 py-0.5 text-left hover:bg-wash-action aria-[current=true]:font-semibold"
                  onClick={() => {
                    choose(b.id)
                    close()
                  }}
                >
                  <span className="min-w-0 flex-1 break-words">{b.name}</span>
                  <span className="text-xs text-soft">
                    {b.archived ? 'put away' : count(b.n_answered)}
                  </span>
                </button>
              </li>
            ))}
          </ul>
          <Rename baseline={baseline} close={close} />
          <TextAction
            className="justify-self-start"
            onClick={() => {
              another()
              close()
            }}
          >
            Answers of somebody else…
          </TextAction>
        </div>
      )}
    </Chooser>
  )
}

function Rename({ baseline, close }: { baseline: Baseline; close: () => void }) {
  const { brief } = useFrame()
  const [name, setName] = useState(baseline.name)
  const { write, pending, problem } = useWrite([baselinesQuery(brief.id).queryKey])
  const rename = async () => {
    const done = await write(() =>
      changeBaseline(baseline.id, { name, seen: { name: baseline.name } }),
    )
    if (done) close()
  }
  return (
    <form
      className="flex items-end gap-2 border-t border-rule pt-2"
      onSubmit={(e) => {
        e.preventDefault()
        void rename()
      }}
    >
      <Field
        label="Name"
        className="min-w-0 flex-1"
        value={name}
        error={problem === null ? null : inWords(problem)}
        onChange={(e) => setName(e.target.value)}
      />
      <Button
        small
        type="submit"
        disabled={pending}
        lacks={[name === baseline.name && 'the name is what it was']}
      >
        Rename
      </Button>
    </form>
  )
}
