import { useState } from 'react'
import { inWords } from '@/api/client'
import { KeyCaps } from '@/keys/KeyCaps'
import { KeyHints } from '@/keys/KeyHints'
import type { KeyName } from '@/keys/registry'
import { Button, Choice } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import {
  cellText,
  editOf,
  REFERENCE,
  SPLIT,
  TAGS,
  type Case,
  type Column,
  type EditBody,
} from './model'
import type { Bulk, GridData } from './useGrid'

const HINTS: [KeyName[], string][] = [
  [['cases.edit'], 'edit'],
  [['cases.more'], 'choose more'],
  [['cases.paste'], 'paste rows'],
  [['cases.empty'], 'empty'],
  [['cases.open'], 'whole case'],
]

type Props = {
  cases: Case[]
  /** Which rows are chosen, read or not. */
  first: number
  last: number
  columns: Column[]
  data: GridData
  onProblem: (text: string | null) => void
}

/** What can be done with the chosen rows at once, and the keys of the grid. */
export function SelectionBar({ cases, first, last, columns, data, onProblem }: Props) {
  const wanted = last - first + 1
  // Rows that were not read are changed where they are.
  const unread = wanted > cases.length
  const [tag, setTag] = useState('')
  const [target, setTarget] = useState('')
  const [value, setValue] = useState('')
  const act = (edits: EditBody[], whole: Omit<Bulk, 'first' | 'last'>) =>
    step(async () => {
      if (unread) await data.bulk({ ...whole, first, last })
      else if (edits.length) await data.change(edits)
    })
  const step = (work: () => Promise<void>) => {
    onProblem(null)
    work().catch((error: unknown) => onProblem(inWords(error)))
  }
  const move = (split: string) =>
    act(
      cases.filter((c) => c.split !== split).map((c) => ({ revision: c.revision, split })),
      { act: 'move', value: split },
    )
  const withTag = (on: boolean) => {
    const name = tag.trim()
    const changed = cases.filter((c) => c.tags.includes(name) !== on)
    return act(
      changed.map((c) => ({
        revision: c.revision,
        tags: on ? [...c.tags, name] : c.tags.filter((t) => t !== name),
      })),
      { act: on ? 'tag' : 'untag', value: name },
    )
  }
  const column = columns.find((c) => c.key === target)
  return (
    <div className="flex min-h-11 flex-wrap items-center gap-x-2 gap-y-1 py-1.5 text-xs text-soft">
      {wanted > 1 ? (
        <>
          <span className="font-semibold text-ink">{plural(wanted, 'case')}</span>
          <Button small onClick={() => move('held-out')}>
            Hold out
          </Button>
          <Button small onClick={() => move('working')}>
            Make working
          </Button>
          <form
            className="flex items-center gap-1"
            onSubmit={(e) => {
              e.preventDefault()
              withTag(true)
            }}
          >
            <input
              aria-label="Tag"
              placeholder="tag"
              value={tag}
              onChange={(e) => setTag(e.target.value)}
              className="h-6 w-20 rounded-sm border border-rule-strong bg-sheet px-1.5 text-xs text-ink"
            />
            <Button small type="submit" lacks={[!tag.trim() && 'no tag is typed']}>
              Add
            </Button>
            <Button small lacks={[!tag.trim() && 'no tag is typed']} onClick={() => withTag(false)}>
              Take off
            </Button>
          </form>
          <form
            className="flex items-center gap-1"
            onSubmit={(e) => {
              e.preventDefault()
              if (column)
                act(
                  cases
                    .filter((c) => cellText(c, column) !== value)
                    .map((c) => editOf(c, new Map([[column, value]]))),
                  { act: 'set', value, column: column.key },
                )
            }}
          >
            <Choice
              label="Column to set"
              hideLabel
              value={target}
              className="[&_select]:h-6 [&_select]:text-xs"
              onChange={(e) => setTarget(e.target.value)}
            >
              <option value="">set…</option>
              {columns
                .filter((c) => c.key !== SPLIT && c.key !== TAGS)
                .map((c) => (
                  <option key={c.key} value={c.key}>
                    {c.key === REFERENCE ? 'reference' : c.name}
                  </option>
                ))}
            </Choice>
            {column && (
              <>
                <input
                  aria-label={`New ${column.name}`}
                  placeholder="to"
                  value={value}
                  onChange={(e) => setValue(e.target.value)}
                  className="h-6 w-28 rounded-sm border border-rule-strong bg-sheet px-1.5 text-xs text-ink"
                />
                <Button small type="submit">
                  Set
                </Button>
              </>
            )}
          </form>
          <Button
            small
            kind="harm"
            onClick={() =>
              act(
                cases.map((c) => ({ revision: c.revision, out: true })),
                { act: 'out' },
              )
            }
          >
            Remove
          </Button>
        </>
      ) : (
        <KeyHints rows={HINTS} />
      )}
      <span className="ml-auto flex items-center gap-2">
        {data.busy && <span role="status">keeping…</span>}
        <Button
          small
          lacks={[!data.canUndo && 'nothing was changed']}
          onClick={() => step(data.undo)}
        >
          Undo{wanted <= 1 && <KeyCaps of="cases.undo" />}
        </Button>
        <Button
          small
          lacks={[!data.canRedo && 'nothing was undone']}
          onClick={() => step(data.redo)}
        >
          Redo
        </Button>
      </span>
    </div>
  )
}
