import { type ReactNode, useState } from 'react'
import { TextAction } from '@/parts/controls'
import { count } from '@/parts/numbers'
import { variantInWords } from '../try/SettingsVariants'
import { AnswerCard } from './AnswerCard'
import type { WayProps } from './regionParts'
import type { Judged, Shown, Tried } from './useAsking'

// So many rows are drawn at first, and so many more at each press.
const DRAWN = 60

type Props = {
  shown: Shown[]
  /** What stands before a row's answers. */
  label: (row: number) => ReactNode
  /** The order in which rows stand. */
  order: number[]
  way: WayProps
  tried: Tried | null
  onSay: (key: string, said: Partial<Judged>) => void
}

/** Answers to several inputs: a row for each input, a column for each model, settings and version. */
export function RowAnswers({ shown, label, order, way, tried, onSay }: Props) {
  const [most, setMost] = useState(DRAWN)
  const idOf = (s: Shown) => JSON.stringify([s.model, s.settings, s.of])
  const columns = new Map<string, Shown>()
  const cells = new Map<string, Shown>()
  for (const s of shown) {
    if (!columns.has(idOf(s))) columns.set(idOf(s), s)
    cells.set(`${s.row}|${idOf(s)}`, s)
  }
  const several = new Set([...columns.values()].map((c) => JSON.stringify(c.settings))).size > 1
  const named = (s: Shown) =>
    [
      s.name,
      several && s.of === null && variantInWords(s.settings),
      s.of !== null && `v${s.of} as saved`,
    ]
      .filter(Boolean)
      .join(', ')
  return (
    <>
      <table className="w-full table-fixed border-collapse text-left">
        <colgroup>
          <col className="w-48" />
          {[...columns.keys()].map((id) => (
            <col key={id} />
          ))}
        </colgroup>
        <thead className="sr-only">
          <tr>
            <th>Input</th>
            {[...columns.values()].map((c) => (
              <th key={idOf(c)}>{named(c)}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {order.slice(0, most).map((row) => (
            <tr key={row} className="border-b border-rule align-top">
              <th className="py-2 pr-3 text-sm font-normal break-words">{label(row)}</th>
              {[...columns].map(([id, column]) => {
                const cell = cells.get(`${row}|${id}`)
                return (
                  <td key={id} className="min-w-0 pr-4 [&>article]:border-0">
                    {cell && (
                      <AnswerCard
                        shown={cell}
                        label={named(column)}
                        onSay={onSay}
                        feed={tried && cell.of === null ? { way, tried } : null}
                      />
                    )}
                  </td>
                )
              })}
            </tr>
          ))}
        </tbody>
      </table>
      {order.length > most && (
        <p className="py-2 text-sm">
          <TextAction onClick={() => setMost(most + DRAWN)}>
            Show {count(Math.min(DRAWN, order.length - most))} more of {count(order.length)}
          </TextAction>
        </p>
      )}
    </>
  )
}
