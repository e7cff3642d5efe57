import { inWords, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { Button, Choice, ErrorLine, Field } from '@/parts/controls'
import { forgetTyped, useTyped } from '@/parts/typed'
import { KIND_WORDS, KINDS } from './grid/model'
import type { GridData } from './grid/useGrid'

type Props = { dataset: Schemas['DatasetShape']; data: GridData; onDone: () => void }

/** A further input of every case, empty until it is filled. */
export function AddColumn({ dataset, data, onDone }: Props) {
  const place = `column ${dataset.id}`
  const [name, setName] = useTyped(`${place} name`, '')
  const [kind, setKind] = useTyped(`${place} kind`, 'text')
  const { write, problem, setProblem } = useWrite()
  const add = async () => {
    const wanted = name.trim()
    if (dataset.columns.includes(wanted))
      return setProblem(new Error(`There is a column ${wanted} already.`))
    await write(async () => {
      await data.change([], { columns: [wanted], kinds: { [wanted]: kind } })
      forgetTyped(place)
      onDone()
    })
  }
  return (
    <form
      className="grid gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        void add()
      }}
    >
      <div className="grid grid-cols-2 gap-3">
        <Field
          label="Name, as the placeholder in the prompt"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Choice label="Holds" value={kind} onChange={(e) => setKind(e.target.value)}>
          {KINDS.map((k) => (
            <option key={k} value={k}>
              {KIND_WORDS[k]}
            </option>
          ))}
        </Choice>
      </div>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <div>
        <Button kind="main" type="submit" lacks={[!name.trim() && 'it has no name']}>
          Add the column
        </Button>
      </div>
    </form>
  )
}
