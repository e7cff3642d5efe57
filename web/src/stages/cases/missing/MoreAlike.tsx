import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { casesOf, editCases } from '@/api/datasets'
import { alikeQuery } from '@/api/reviews'
import { useWrite } from '@/api/useWrite'
import { Button, Choice, ErrorLine, Waiting } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { asText } from '@/parts/text'
import { useFrame } from '../../frame'

type Props = {
  dataset: Schemas['DatasetShape']
  kind: 'tag' | 'label' | 'manner' | 'length' | 'language'
  name: string
  others: Schemas['DatasetShape'][]
}

/** Cases of another dataset, such as a log that was brought in, that are like those of one part. */
export function MoreAlike({ dataset, kind, name, others }: Props) {
  const { brief } = useFrame()
  const cache = useQueryClient()
  const [among, setAmong] = useState(others[0]?.id ?? 0)
  const [chosen, setChosen] = useState<Set<number>>(new Set())
  const found = useQuery({ ...alikeQuery(dataset.id, { kind, name, among }), staleTime: 0 })
  const { write, pending, problem } = useWrite([...briefKeys(brief.id)])
  const take = () =>
    void write(async () => {
      const cases = found.data?.cases.filter((c) => chosen.has(c.number)) ?? []
      await editCases(dataset.id, {
        edits: cases.map((c) => ({
          values: Object.fromEntries(Object.entries(c.inputs).map(([k, v]) => [k, asText(v)])),
          ...(c.reference === null ? {} : { reference: c.reference }),
          ...(kind === 'tag' ? { tags: [name] } : {}),
        })),
        columns: [],
        kinds: {},
        why: `${kind} ${name}, found in another dataset`,
      })
      setChosen(new Set())
      for (const key of [casesOf(dataset.id), ['missing', dataset.id], ['alike', dataset.id]])
        await cache.invalidateQueries({ queryKey: key })
    })
  const toggle = (number: number) => {
    const next = new Set(chosen)
    if (!next.delete(number)) next.add(number)
    setChosen(next)
  }
  return (
    <div className="grid gap-2 border-l-2 border-rule-strong pl-3">
      <div className="flex items-end gap-3">
        <Choice
          label={`Most like ${name}, among the cases of`}
          className="w-64"
          value={among}
          onChange={(e) => {
            setAmong(Number(e.target.value))
            setChosen(new Set())
          }}
        >
          {others.map((d) => (
            <option key={d.id} value={d.id}>
              {d.name}
            </option>
          ))}
        </Choice>
        <Button
          kind="main"
          disabled={pending}
          lacks={[chosen.size === 0 && 'no case is ticked']}
          onClick={take}
        >
          Take {plural(chosen.size, 'case')}
        </Button>
      </div>
      {found.isPending && <Waiting what="the cases of the other dataset" />}
      {found.isError && <ErrorLine>{inWords(found.error)}</ErrorLine>}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {found.data?.cases.length === 0 && (
        <p className="text-sm text-soft">
          None of them is like these, or all of those are here already.
        </p>
      )}
      <div className="max-h-96 overflow-auto">
        {found.data?.cases.map((c) => (
          <label key={c.number} className="flex gap-2 border-b border-rule py-1 text-sm">
            <input
              type="checkbox"
              className="mt-1"
              checked={chosen.has(c.number)}
              onChange={() => toggle(c.number)}
            />
            <span className="w-10 font-mono text-xs text-soft" title="how like they are, 0 to 1">
              {c.likeness.toFixed(2)}
            </span>
            <span dir="auto" className="line-clamp-3 min-w-0 break-words whitespace-pre-wrap">
              {Object.values(c.inputs).map(asText).join('\n')}
            </span>
          </label>
        ))}
      </div>
    </div>
  )
}
