import { useState } from 'react'
import { Button, Choice, Field } from '@/parts/controls'
import {
  columnName,
  type Condition,
  conditionInWords,
  isBare,
  OWN_COLUMNS,
  type Test,
  TESTS,
} from './conditions'

type Part = { where?: Condition[]; words?: string }
type Props = {
  columns: string[]
  where: Condition[]
  words: string
  wrong: string | null
  onChange: (part: Part) => void
}

/** Conditions that cases must meet, as the grid has them: each as a word that can be taken away. */
export function Conditions({ columns, where, words, wrong, onChange }: Props) {
  const [column, setColumn] = useState('#tags')
  const [test, setTest] = useState<Test>('holds')
  const [value, setValue] = useState('')
  const add = () => {
    onChange({ where: [...where, { column, test, value: isBare(test) ? '' : value }] })
    setValue('')
  }
  return (
    <div role="group" aria-label="Conditions" className="w-full border-l-2 border-rule pl-3">
      <div className="flex flex-wrap items-end gap-2">
        <Choice
          label="Where"
          className="w-40"
          value={column}
          onChange={(e) => setColumn(e.target.value)}
        >
          {[...OWN_COLUMNS, ...columns].map((name) => (
            <option key={name} value={name}>
              {columnName(name)}
            </option>
          ))}
        </Choice>
        <Choice
          label="Test"
          hideLabel
          className="w-36"
          value={test}
          onChange={(e) => setTest(e.target.value as Test)}
        >
          {TESTS.map(([key, told]) => (
            <option key={key} value={key}>
              {told}
            </option>
          ))}
        </Choice>
        {!isBare(test) && (
          <Field
            label="this"
            className="w-44"
            value={value}
            onChange={(e) => setValue(e.target.value)}
            onKeyDown={(e) => {
              if (e.key === 'Enter' && value) {
                e.preventDefault()
                add()
              }
            }}
          />
        )}
        <Button small lacks={[!isBare(test) && value === '' && 'nothing is typed']} onClick={add}>
          Add this condition
        </Button>
      </div>
      <p className="mt-2 flex flex-wrap items-center gap-2 text-sm">
        {where.map((c, i) => (
          <Taken
            key={i}
            told={conditionInWords(c)}
            take={() => onChange({ where: where.filter((_, j) => j !== i) })}
          />
        ))}
        {words && <Taken told={`with the words “${words}”`} take={() => onChange({ words: '' })} />}
        {wrong && <span className="text-loss-text">{wrong}</span>}
      </p>
    </div>
  )
}

/** One condition as it stands, and the way to take it away. */
export function Taken({ told, take }: { told: string; take: () => void }) {
  return (
    <button
      type="button"
      className="max-w-56 truncate rounded-sm border border-attention px-1.5 text-xs text-attention-text"
      title="Take this condition away"
      onClick={take}
    >
      {told} ×
    </button>
  )
}
