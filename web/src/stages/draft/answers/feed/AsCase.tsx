import { useState } from 'react'
import { briefKeys } from '@/api/briefs'
import { inWords } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { Button, ErrorLine } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { asText } from '@/parts/text'
import { forgetTyped, useTyped } from '@/parts/typed'
import type { Brief } from '../../../frame'
import { intoCases } from '../../../intoCases'

type Props = {
  brief: Brief
  text: string
  items: string[]
  inputs: Record<string, unknown>
  place: string
  onDone: (words: string) => void
}

/** What was answered as a case: its input with the answer wanted, or the answer (each item of it) as input. */
export function AsCase({ brief, text, items, inputs, place, onDone }: Props) {
  const { write, pending, problem } = useWrite([...briefKeys(brief.id), ['cases']])
  const [as, setAs] = useState<'wanted' | 'input' | 'items'>('wanted')
  const [reference, setReference] = useTyped(place, text)
  const columns = Object.keys(inputs).map((c) => c.split('.')[0] ?? c)
  const names = [...new Set(columns.length > 0 ? columns : ['text'])]
  const [column, setColumn] = useState(names[0] ?? 'text')
  const keep = () =>
    void write(async () => {
      const own = Object.fromEntries(names.map((n) => [n, asText(inputs[n])]))
      const edits =
        as === 'wanted'
          ? [{ values: own, reference: reference === '' ? null : reference }]
          : (as === 'items' ? items : [text]).map((v) => ({ values: { ...own, [column]: v } }))
      const name = await intoCases(brief, names, edits, 'kept from an answer')
      forgetTyped(place)
      onDone(`${plural(edits.length, 'case')} kept in ${name}.`)
    })
  return (
    <form
      className="mt-2 grid gap-1.5"
      onSubmit={(e) => {
        e.preventDefault()
        keep()
      }}
    >
      <span className="flex flex-wrap gap-x-4" role="radiogroup" aria-label="As a case">
        {(
          [
            ['wanted', 'its input, with this answer wanted'],
            ['input', 'this answer as the input'],
            ['items', `each of the ${items.length} items as the input of one`],
          ] as const
        ).map(
          ([value, words]) =>
            (value !== 'items' || items.length > 0) && (
              <label key={value} className="flex items-center gap-1.5">
                <input
                  type="radio"
                  name={place}
                  checked={as === value}
                  onChange={() => setAs(value)}
                />
                {words}
              </label>
            ),
        )}
      </span>
      {as === 'wanted' ? (
        <label className="grid gap-1 text-soft">
          The answer it should get; leave empty for none
          <textarea
            rows={3}
            className="w-full rounded-sm border border-rule-strong bg-sheet p-1 font-mono text-xs"
            value={reference}
            onChange={(e) => setReference(e.target.value)}
          />
        </label>
      ) : (
        names.length > 1 && (
          <label className="flex items-center gap-2 text-soft">
            as
            <select
              className="h-6 rounded-sm border border-rule-strong bg-sheet px-1"
              value={column}
              onChange={(e) => setColumn(e.target.value)}
            >
              {names.map((n) => (
                <option key={n}>{n}</option>
              ))}
            </select>
          </label>
        )
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <span>
        <Button small type="submit" disabled={pending}>
          Keep
        </Button>
      </span>
    </form>
  )
}
