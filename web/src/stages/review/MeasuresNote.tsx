import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { measuresAgainstMarksQuery } from '@/api/reviews'
import { Note } from '@/parts/Margin'
import { TextAction } from '@/parts/controls'
import { plural, score } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'

type Row = Schemas['MeasureAgainstMarks']

/** Whether the measures say what readers say, and the answers where they do not. */
export function MeasuresNote({
  trial,
  marked,
  onOpen,
}: {
  trial: number
  marked: number
  onOpen: (output: number) => void
}) {
  const [open, setOpen] = useState(false)
  const found = useQuery({
    ...measuresAgainstMarksQuery(trial, marked),
    placeholderData: (former) => former,
    staleTime: 20_000,
  })
  const total = found.data?.[0]
  if (!total || (total.n === 0 && total.n_apart === 0)) return null
  return (
    <>
      <Note
        tone={total.rho !== null && total.rho < 0.5 ? 'attention' : 'plain'}
        title="Measures against marks"
      >
        {told(total)}{' '}
        <TextAction className="font-sans text-xs" onClick={() => setOpen(true)}>
          Measure by measure{total.n_apart > 0 && `, ${total.n_apart} apart`}
        </TextAction>
      </Note>
      <Overlay open={open} onOpenChange={setOpen} title="Measures against marks" side>
        <div className="grid gap-5 text-sm">
          <p className="text-soft">
            Rank correlation with marks that came up by chance, 1 for the same order. Below it the
            answers where a measure and readers are furthest apart.
          </p>
          {found.data?.map((row) => (
            <section key={row.measure}>
              <h3 className="text-base">
                {row.measure} <span className="font-sans text-sm text-soft">{told(row)}</span>
              </h3>
              {row.apart.map((a) => (
                <p key={a.output} className="border-b border-rule py-1">
                  <TextAction
                    light
                    onClick={() => {
                      setOpen(false)
                      onOpen(a.output)
                    }}
                  >
                    Case {a.case}
                  </TextAction>{' '}
                  scored {score(a.score)}, marked{' '}
                  {a.mark === 1
                    ? 'good'
                    : a.mark === 0
                      ? 'bad'
                      : a.mark === 0.5
                        ? 'usable'
                        : score(a.mark)}
                </p>
              ))}
            </section>
          ))}
        </div>
      </Overlay>
    </>
  )
}

function told(row: Row): string {
  if (row.rho === null) return `Cannot tell: ${row.why_null ?? 'too few marks'}.`
  return `${score(row.rho)}${row.low === null ? '' : ` (${score(row.low)} to ${score(row.high)})`} on ${plural(row.n, 'answer')}.`
}
