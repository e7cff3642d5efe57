import { useQuery } from '@tanstack/react-query'
import type { Schemas } from '@/api/client'
import { caseCoverageQuery } from '@/api/datasets'

type Props = {
  before: Schemas['CoverageShape']
  /** Tags of the proposals that are taken or still open. */
  taken: string[][]
  dataset: number
  dimensions: { name: string; values: string[] }[]
  /** How many of them are in the dataset by now. */
  settled: number
}

/** How often each value occurs, before and with what is taken; and how many pairs of values. */
export function CoverageTable({ before, taken, dataset, dimensions, settled }: Props) {
  // What is settled is in the dataset already: the first `before` stays the basis.
  const after = useQuery({
    ...caseCoverageQuery(dataset, { dimensions, tags: taken }, before),
    placeholderData: (former) => former,
    enabled: settled === 0,
  })
  if (before.dimensions.length === 0) return null
  return (
    <div className="grid gap-1 text-sm">
      {before.dimensions.map((d) => (
        <p key={d.name} className="grid grid-cols-[7rem_1fr] gap-2 border-b border-rule py-1">
          <span className="text-soft">{d.name}</span>
          <span className="flex flex-wrap gap-x-4">
            {d.values.map((v) => {
              const more = taken.filter((tags) => tags.includes(`${d.name}: ${v.value}`)).length
              return (
                <span key={v.value} className={v.n + more === 0 ? 'text-harm' : ''}>
                  {v.value}{' '}
                  <span className="font-mono text-xs">
                    {v.n}
                    {more ? ` + ${more}` : ''}
                  </span>
                  {v.n + more === 0 && ', none'}
                </span>
              )
            })}
          </span>
        </p>
      ))}
      {before.pairs_possible > 0 && (
        <p className="text-xs text-soft">
          Pairs of values that occur together:{' '}
          <span className="font-mono">
            {before.pairs} of {before.pairs_possible}
          </span>{' '}
          before
          {after.data && (
            <>
              , <span className="font-mono">{after.data.pairs}</span> with what is taken or open
            </>
          )}
          .
        </p>
      )}
    </div>
  )
}
