import { Popover } from 'radix-ui'
import { useState } from 'react'
import { inWords } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { Button, Choice, ErrorLine, Field } from '@/parts/controls'
import { KIND_WORDS, KINDS, NUMBER, type Column } from './model'
import { isBare, type Test, TESTS } from '../conditions'
import type { View } from './useGrid'

type Props = {
  column: Column
  view: View
  setView: (v: View) => void
  setKind: (column: string, kind: string) => Promise<void>
}

/** A column's head: its order, a condition on it, and what kind of values it holds. */
export function HeadCell({ column, view, setView, setKind }: Props) {
  const [open, setOpen] = useState(false)
  const [test, setTest] = useState<Test>('holds')
  const [value, setValue] = useState('')
  const { write, problem } = useWrite()
  const sorted = view.sort === column.key
  const narrowed = view.where.some((w) => w.column === column.key)
  const order = (down: boolean) => {
    setView({ ...view, sort: column.key, down })
    setOpen(false)
  }
  const input = !column.key.startsWith('#')
  const bare = isBare(test)
  return (
    <div
      role="columnheader"
      aria-sort={sorted ? (view.down ? 'descending' : 'ascending') : 'none'}
      className="min-w-0 px-1.5 py-1.5"
    >
      <Popover.Root open={open} onOpenChange={setOpen}>
        <Popover.Trigger
          className="flex max-w-full items-baseline gap-1 font-semibold hover:text-ink data-[state=open]:text-ink"
          aria-label={`Column ${column.name}`}
        >
          <span className="truncate">{column.name}</span>
          {input && column.kind !== 'text' && (
            <span className="truncate font-normal">{KIND_WORDS[column.kind]}</span>
          )}
          {sorted && <span aria-hidden>{view.down ? '↓' : '↑'}</span>}
          {narrowed && <span className="text-attention-text">narrowed</span>}
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            align="start"
            sideOffset={4}
            className="z-30 w-72 rounded-sm border border-rule-strong bg-paper p-3 text-sm text-ink shadow-xl outline-none"
          >
            <div className="flex gap-2">
              <Button small onClick={() => order(false)}>
                Lowest first
              </Button>
              <Button small onClick={() => order(true)}>
                Highest first
              </Button>
              {sorted && (
                <Button
                  small
                  kind="quiet"
                  onClick={() => setView({ ...view, sort: '', down: false })}
                >
                  As they came
                </Button>
              )}
            </div>
            {column.key !== NUMBER && (
              <form
                className="mt-3 grid gap-2 border-t border-rule pt-3"
                onSubmit={(e) => {
                  e.preventDefault()
                  setView({
                    ...view,
                    where: [...view.where, { column: column.key, test, value: bare ? '' : value }],
                  })
                  setOpen(false)
                }}
              >
                <Choice
                  label={`Only cases whose ${column.name.toLowerCase()}`}
                  value={test}
                  onChange={(e) => setTest(e.target.value as Test)}
                >
                  {TESTS.map(([key, words]) => (
                    <option key={key} value={key}>
                      {words}
                    </option>
                  ))}
                </Choice>
                {!bare && (
                  <Field label="this" value={value} onChange={(e) => setValue(e.target.value)} />
                )}
                <div>
                  <Button small type="submit" lacks={[!bare && value === '' && 'nothing is typed']}>
                    Show only these
                  </Button>
                </div>
              </form>
            )}
            {input && (
              <div className="mt-3 border-t border-rule pt-3">
                <Choice
                  label="Holds"
                  value={column.kind}
                  onChange={(e) => void write(() => setKind(column.key, e.target.value))}
                >
                  {KINDS.map((k) => (
                    <option key={k} value={k}>
                      {KIND_WORDS[k]}
                    </option>
                  ))}
                </Choice>
                {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
                <p className="mt-1 text-xs text-soft">
                  It decides how wide the column is and what may be typed; what stands in it stays
                  as it is.
                </p>
              </div>
            )}
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </div>
  )
}
