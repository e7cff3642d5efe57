import type { ReactNode } from 'react'
import { KeyCaps } from '@/keys/KeyCaps'
import { Button } from '@/parts/controls'
import { Alternatives } from './Alternatives'
import { AnswerView } from './AnswerView'
import type { Column } from './columns'
import type { Answer } from './useTries'

const MOST_ALTERNATIVES = 10

type BarProps = {
  many: number
  setMany: (n: number) => void
  running: boolean
  stop: () => void
  ready: boolean
  again: boolean
  go: () => void
}

/** How many answers each, and the press that asks. */
export function AskBar({ many, setMany, running, stop, ready, again, go }: BarProps) {
  return (
    <span className="ml-auto flex items-center gap-2">
      <label className="flex items-center gap-1 text-soft">
        <select
          aria-label="Answers each"
          className="h-7 rounded-sm border border-rule-strong bg-sheet px-1"
          value={many}
          onChange={(e) => setMany(Number(e.target.value))}
        >
          {Array.from({ length: MOST_ALTERNATIVES }, (_, i) => (
            <option key={i}>{i + 1}</option>
          ))}
        </select>
        {many === 1 ? 'answer each' : 'answers each'}
      </label>
      <KeyCaps of="draft.try" />
      {running && (
        <Button kind="harm" onClick={stop}>
          Stop
        </Button>
      )}
      <Button kind="main" disabled={!ready} onClick={go}>
        {again ? 'Again' : 'Try it'}
      </Button>
    </span>
  )
}

type ColumnsProps = {
  columns: Column[]
  /** How many stand side by side at most. */
  wide: number
  answersOf: (c: Column) => Answer[]
  actions: (c: Column, a: Answer) => ReactNode
}

/** The answers, a column for each model and settings, the newest on top. */
export function Columns({ columns, wide, answersOf, actions }: ColumnsProps) {
  return (
    <div
      className="grid gap-x-6 gap-y-4"
      style={{
        gridTemplateColumns: `repeat(${Math.min(wide, Math.max(1, columns.length))}, minmax(0, 1fr))`,
      }}
    >
      {columns.map((c) => {
        const found = answersOf(c)
        return (
          <section key={c.id} className="min-w-0" aria-label={c.label}>
            <h3 className="border-b border-rule-strong pb-1 font-serif text-base font-semibold">
              {c.label}
            </h3>
            {found.length > 1 && <Alternatives answers={[...found].reverse()} />}
            {found.map((a) => (
              <AnswerView key={a.key} answer={a}>
                {!c.saved && a.result?.outcome === 'answered' && actions(c, a)}
              </AnswerView>
            ))}
          </section>
        )
      })}
    </div>
  )
}
