import type { Schemas } from '@/api/client'
import { Button, Choice } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { changedSpan } from './changed'
import type { Mapping, Preview } from './ImportParts'
import { MendRows, type Mended } from './MendRows'

type Update = Schemas['UpdatePreview']

const BY_ID = '#id'

type HowProps = {
  preview: Preview
  mapping: Mapping
  by: string[]
  setBy: (by: string[]) => void
  gone: 'keep' | 'remove'
  setGone: (gone: 'keep' | 'remove') => void
}

/** Whether rows are new cases or change those there are, and by what they find them. */
export function HowRowsComeIn({ preview, mapping, by, setBy, gone, setGone }: HowProps) {
  const inputs = preview.columns
    .filter((c) => (mapping[c.name]?.as ?? 'input') === 'input')
    .map((c) => mapping[c.name]?.name || c.name)
  const hasId = preview.columns.some((c) => mapping[c.name]?.as === 'id')
  const way = by.length === 0 ? 'add' : by[0] === BY_ID ? 'id' : 'columns'
  return (
    <fieldset className="grid gap-2 border-t border-rule pt-3">
      <legend className="sr-only">How rows come in</legend>
      <div className="flex flex-wrap items-end gap-4">
        <Choice
          label="Each row"
          className="w-72"
          value={way}
          onChange={(e) =>
            setBy(
              e.target.value === 'add'
                ? []
                : e.target.value === 'id'
                  ? [BY_ID]
                  : inputs.slice(0, 1),
            )
          }
        >
          <option value="add">
            {hasId ? 'is a new case, or changes the one that bears its id' : 'is a new case'}
          </option>
          {hasId && <option value="id">changes the case with its id or number</option>}
          {inputs.length > 0 && (
            <option value="columns">changes the case with the same columns</option>
          )}
        </Choice>
        {way !== 'add' && (
          <Choice
            label="Cases that no row speaks of"
            className="w-52"
            value={gone}
            onChange={(e) => setGone(e.target.value as 'keep' | 'remove')}
          >
            <option value="keep">stay</option>
            <option value="remove">are taken out</option>
          </Choice>
        )}
      </div>
      {way === 'columns' && (
        <p className="flex flex-wrap gap-x-4 gap-y-1 text-sm">
          <span className="text-soft">told apart by</span>
          {inputs.map((name) => (
            <label key={name} className="flex items-center gap-1.5">
              <input
                type="checkbox"
                checked={by.includes(name)}
                disabled={by.length === 1 && by.includes(name)}
                onChange={(e) =>
                  setBy(e.target.checked ? [...by, name] : by.filter((x) => x !== name))
                }
              />
              {name}
            </label>
          ))}
        </p>
      )}
    </fieldset>
  )
}

type LookProps = {
  update: Update
  /** Cases that no row speaks of were asked to be taken out. */
  removes: boolean
  columns: string[]
  mended: Mended
  onMend: (mended: Mended) => void
}

/** What an update would do: counts, and cell by cell what changes. */
export function UpdateLook({ update, removes, columns, mended, onMend }: LookProps) {
  const rest = update.changed - update.changes.length
  return (
    <section aria-label="What would change" className="grid gap-3">
      <p className="text-sm">
        <strong>{count(update.changed)} changed</strong>, {count(update.new)} new,{' '}
        {count(update.equal)} equal
        {update.gone > 0 && (
          <span className={update.removes ? 'text-harm' : ''}>
            {', '}
            {plural(update.gone, 'case')} that no row speaks of{' '}
            {update.removes ? 'would be taken out' : 'would stay'} (
            {update.gone_numbers.slice(0, 8).join(', ')}
            {update.gone > 8 && ' …'})
          </span>
        )}
        .{' '}
        {removes && !update.removes && (
          <span className="text-attention-text">
            None is taken out while lines are refused: any of them may speak of it.
          </span>
        )}
      </p>
      {update.changes.length > 0 && (
        <table className="w-full text-sm">
          <caption className="sr-only">Cells that would change</caption>
          <thead>
            <tr className="border-b border-rule-strong text-left text-xs text-soft">
              <th className="w-14 py-1 font-semibold">Case</th>
              <th className="w-28 font-semibold">Column</th>
              <th className="font-semibold">Says now</th>
              <th className="font-semibold">Would say</th>
            </tr>
          </thead>
          <tbody>
            {update.changes.flatMap((c) =>
              c.cells.map((cell, i) => {
                const { same, before, after, end } = changedSpan(cell.before, cell.after)
                return (
                  <tr
                    key={`${c.number} ${cell.column}`}
                    className={`align-top ${i === c.cells.length - 1 ? 'border-b border-rule' : ''}`}
                  >
                    <td className="py-1 font-mono text-xs text-soft" title={`line ${c.line}`}>
                      {i === 0 ? c.number : ''}
                    </td>
                    <td className="py-1 pr-2 text-xs break-words">{cell.column}</td>
                    <td className="py-1 pr-3 break-words whitespace-pre-wrap">
                      {same}
                      <del className="bg-wash-harm no-underline">{before}</del>
                      {end || (cell.before === '' && <span className="text-soft">nothing</span>)}
                    </td>
                    <td className="py-1 break-words whitespace-pre-wrap">
                      {same}
                      <ins className="bg-wash-action no-underline">{after}</ins>
                      {end || (cell.after === '' && <span className="text-soft">nothing</span>)}
                    </td>
                  </tr>
                )
              }),
            )}
          </tbody>
        </table>
      )}
      {rest > 0 && <p className="text-xs text-soft">and {plural(rest, 'more changed case')}.</p>}
      <MendRows
        rows={update.refused}
        total={update.n_refused}
        columns={columns}
        mended={mended}
        onMend={onMend}
      />
    </section>
  )
}

type UpdateProps = {
  update: Update | null
  onLook: () => void
  onTake: () => void
}

/** First the look, then the change itself with its size on it. */
export function UpdateButton({ update, onLook, onTake }: UpdateProps) {
  if (!update) return <Button onClick={onLook}>See what would change</Button>
  const gone = update.removes ? update.gone : 0
  const told = [
    update.changed && `change ${count(update.changed)}`,
    update.new && `add ${count(update.new)}`,
    gone && `take out ${count(gone)}`,
  ].filter(Boolean)
  const words = told.join(', ')
  return (
    <Button
      kind="main"
      lacks={[told.length === 0 && 'the file holds what the cases hold already']}
      onClick={onTake}
    >
      {words ? words[0]?.toUpperCase() + words.slice(1) : 'Nothing to change'}
    </Button>
  )
}
