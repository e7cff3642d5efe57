import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { Simulated, TextAction } from '@/parts/controls'
import { count, money, plural } from '@/parts/numbers'
import { useFrame } from '../frame'

/** What is ticked, and how to tick otherwise. */
type Ticked = [number[], (ids: number[]) => void]
type Props = {
  models: Schemas['ModelShape'][]
  elsewhere: Schemas['BaselineShape'][]
  versions: Ticked
  chosen: Ticked
  brought: Ticked
}

/** What is run and held against each other: versions on models, and answers from elsewhere. */
export function PlanArms({ models, elsewhere, versions, chosen, brought }: Props) {
  const { brief } = useFrame()
  return (
    <>
      <div className="mt-5 grid grid-cols-2 gap-8">
        <Ticks
          title="Versions"
          rows={[...brief.versions].reverse().map((v) => ({
            id: v.number,
            words: `v${v.number} ${v.note} ${v.tags.join(' ')}`,
            text: (
              <>
                v{v.number} <span className="text-soft">{v.note}</span>
              </>
            ),
          }))}
          chosen={versions[0]}
          onChange={versions[1]}
        />
        <Ticks
          title="Models"
          rows={models.map((m) => ({
            id: m.id,
            words: m.name,
            text: (
              <>
                {m.name} {m.simulated && <Simulated />}{' '}
                <span className="block text-xs text-soft">
                  {m.price_in === null
                    ? 'no price'
                    : `${money(m.price_in * 1e9, 2)} in, ${money((m.price_out ?? 0) * 1e9, 2)} out per million tokens`}
                </span>
              </>
            ),
          }))}
          chosen={chosen[0]}
          onChange={chosen[1]}
        />
      </div>
      {elsewhere.length > 0 && (
        <div className="mt-5 grid grid-cols-2 gap-8">
          <Ticks
            title="Answers from elsewhere"
            rows={elsewhere.map((b) => ({
              id: b.id,
              words: b.name,
              text: (
                <>
                  {b.name}{' '}
                  <span className="text-xs text-soft">
                    brought in, {count(b.n_answered)} of {plural(b.n_cases, 'case')}
                  </span>
                </>
              ),
            }))}
            chosen={brought[0]}
            onChange={brought[1]}
          />
        </div>
      )}
    </>
  )
}

// More are found by their words.
const MANY = 6

type TicksProps = {
  title: string
  rows: { id: number; words: string; text: React.ReactNode }[]
  chosen: number[]
  onChange: (ids: number[]) => void
}

function Ticks({ title, rows, chosen, onChange }: TicksProps) {
  const [words, setWords] = useState('')
  const found = rows.filter((r) => r.words.toLowerCase().includes(words.trim().toLowerCase()))
  return (
    <fieldset>
      <legend className="mb-1 flex w-full items-baseline justify-between">
        <span className="font-serif text-base font-semibold">{title}</span>
        <span className="text-xs">
          <TextAction
            onClick={() => onChange([...new Set([...chosen, ...found.map((r) => r.id)])])}
          >
            {words ? 'these' : 'all'}
          </TextAction>{' '}
          <TextAction onClick={() => onChange([])}>none</TextAction>
        </span>
      </legend>
      {rows.length > MANY && (
        <input
          aria-label={`Find among ${title.toLowerCase()}`}
          placeholder={`find among ${count(rows.length)}; ${count(chosen.length)} chosen`}
          className="mb-1 h-8 w-full rounded-sm border border-rule-strong bg-sheet px-2 text-sm"
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
      )}
      <div className="max-h-52 overflow-y-auto border-t border-rule">
        {found.map((r) => (
          <label
            key={r.id}
            className="flex items-baseline gap-2.5 border-b border-rule py-1.5 text-sm"
          >
            <input
              type="checkbox"
              checked={chosen.includes(r.id)}
              onChange={(e) =>
                onChange(e.target.checked ? [...chosen, r.id] : chosen.filter((id) => id !== r.id))
              }
            />
            <span className="min-w-0">{r.text}</span>
          </label>
        ))}
      </div>
    </fieldset>
  )
}
