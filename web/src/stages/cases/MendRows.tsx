import type { Schemas } from '@/api/client'
import { Button } from '@/parts/controls'
import { plural } from '@/parts/numbers'

export type Mended = Record<number, Record<string, string>>

type Props = {
  rows: Schemas['RefusedShape'][]
  total: number
  columns: string[]
  mended: Mended
  onMend: (mended: Mended) => void
  /** After the import: the lines that were put right come in by themselves. */
  onTake?: () => void
}

/** Refused lines with what is wrong with each, put right where they stand or left out. */
export function MendRows({ rows, total, columns, mended, onMend, onTake }: Props) {
  if (rows.length === 0) return null
  const n = rows.filter((r) => mended[r.line]).length
  return (
    <section className="min-w-0 border-l-2 border-harm pl-3" aria-label="Refused lines">
      <h3 className="font-sans text-sm font-semibold text-harm">
        {plural(total, 'row')} refused, the good ones are kept
      </h3>
      <p className="text-xs text-soft">
        Put a line right and it comes in; what is not touched stays out.
        {total > rows.length && ` The first ${rows.length} are shown.`}
      </p>
      <div className="mt-1 max-h-80 overflow-auto">
        <table className="text-sm">
          <thead>
            <tr className="text-left text-xs text-soft">
              <th className="pr-3 font-semibold">Line</th>
              {columns.map((c) => (
                <th key={c} className="pr-1 font-semibold">
                  {c}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((r) => (
              <MendRow
                key={r.line}
                row={r}
                columns={columns}
                values={mended[r.line]}
                onChange={(values) => onMend(withLine(mended, r.line, values))}
              />
            ))}
          </tbody>
        </table>
      </div>
      {onTake && (
        <Button
          className="mt-2"
          lacks={[n === 0 && 'no refused line has been put right']}
          onClick={onTake}
        >
          {n === 0 ? 'Nothing put right yet' : `Take ${plural(n, 'line')} in`}
        </Button>
      )}
    </section>
  )
}

type RowProps = {
  row: Schemas['RefusedShape']
  columns: string[]
  values: Record<string, string> | undefined
  onChange: (values: Record<string, string> | null) => void
}

function MendRow({ row, columns, values, onChange }: RowProps) {
  const first = startOf(row, columns)
  const shown = values ?? first
  return (
    <>
      <tr>
        <td className="pr-3 font-mono text-xs text-soft">{row.line}</td>
        {columns.map((c) => (
          <td key={c} className="pr-1 pb-0.5">
            <input
              aria-label={`${c} of line ${row.line}`}
              className={`h-7 w-40 rounded-sm border bg-sheet px-1.5 text-sm ${values && values[c] !== first[c] ? 'border-action' : 'border-rule-strong'}`}
              value={shown[c] ?? ''}
              onChange={(e) => onChange({ ...shown, [c]: e.target.value })}
            />
          </td>
        ))}
      </tr>
      <tr>
        <td />
        <td colSpan={columns.length} className="pb-2 text-xs">
          <span className="text-harm">{row.reason}</span>
          {values && (
            <>
              {' · '}
              <button
                type="button"
                className="text-action underline"
                onClick={() => onChange(null)}
              >
                leave it out
              </button>
            </>
          )}
        </td>
      </tr>
    </>
  )
}

/** What stands in a refused line, by column; what has no column is put to the last one. */
export function startOf(
  row: Pick<Schemas['RefusedShape'], 'cells'>,
  columns: string[],
): Record<string, string> {
  const last = columns.length - 1
  return Object.fromEntries(
    columns.map((c, i) => [c, i === last ? row.cells.slice(last).join(' ') : (row.cells[i] ?? '')]),
  )
}

function withLine(mended: Mended, line: number, values: Record<string, string> | null): Mended {
  const rest = { ...mended }
  delete rest[line]
  return values ? { ...rest, [line]: values } : rest
}
