import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { TextAction } from '@/parts/controls'
import { count, plural, rampStep } from '@/parts/numbers'
import { rampColours } from '@/parts/ramp'
import type { Seen } from './useTwins'

type Props = {
  held: Schemas['HeldShape']
  onLook: (part: Partial<Seen>) => void
}

const SHOWN = 12

/** Case × kind of one arm, the case that breaks most first; a press opens its pairs. */
export function CaseByKind({ held, onLook }: Props) {
  const [all, setAll] = useState(false)
  const kinds = held.kinds.map((k) => k.kind)
  const rows = all ? held.cases : held.cases.slice(0, SHOWN)
  const arm = held.arms.find((a) => a.arm === held.cases_of)
  if (!arm || rows.length === 0) return null
  return (
    <details className="mt-4 text-sm" open={held.cases.length <= SHOWN}>
      <summary className="cursor-pointer text-action">
        Case by case of {arm.name}: {plural(held.cases.filter((c) => c.broken > 0).length, 'case')}{' '}
        of {count(held.n_cases)} break somewhere
      </summary>
      <div className="mt-2 overflow-x-auto">
        <table className="text-xs">
          <thead className="text-soft">
            <tr>
              <th scope="col" className="pr-3 text-left align-bottom font-normal">
                case
              </th>
              {kinds.map((k) => (
                <th
                  key={k}
                  scope="col"
                  title={held.kinds.find((x) => x.kind === k)?.what}
                  className="h-24 w-6 p-0 align-bottom font-normal"
                >
                  <span className="inline-block [writing-mode:vertical-rl] rotate-180 whitespace-nowrap">
                    {k}
                  </span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((c) => (
              <tr key={c.case}>
                <th scope="row" className="pr-3 text-right font-mono font-normal">
                  {c.case}
                </th>
                {kinds.map((k) => {
                  const [holds = 0, broken = 0] = c.cells[k] ?? []
                  return (
                    <td key={k} className="p-px">
                      {holds + broken > 0 && (
                        <button
                          type="button"
                          aria-label={`case ${c.case}, ${k}: ${broken > 0 ? `${broken} break` : 'holds'}`}
                          className="block h-5 w-5 text-center leading-5"
                          style={rampColours(rampStep(holds / (holds + broken)))}
                          onClick={() =>
                            onLook({ arm: arm.arm, kind: k, case: c.case, only: 'all' })
                          }
                        >
                          <span aria-hidden>{broken > 0 ? '×' : ''}</span>
                        </button>
                      )}
                    </td>
                  )
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {held.cases.length > SHOWN && (
        <TextAction light className="mt-1 text-xs" onClick={() => setAll(!all)}>
          {all ? `the first ${SHOWN} only` : `all ${count(held.cases.length)}`}
        </TextAction>
      )}
    </details>
  )
}
