import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { addModels, offeredModelsQuery, connectionsQuery } from '@/api/connections'
import { useWrite } from '@/api/useWrite'
import { Button, ErrorLine, Field, Simulated, Waiting } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'

type Props = { at: Schemas['ConnectionShape']; close: () => void }

/** The models a server says it has, searched, ticked and added in one press. */
export function OfferedModels({ at, close }: Props) {
  const [words, setWords] = useState('')
  const [ticked, setTicked] = useState<string[]>([])
  const { write, problem } = useWrite([connectionsQuery().queryKey])
  const offered = useQuery({ ...offeredModelsQuery(at.id), retry: false, gcTime: 0 })
  if (offered.isPending) return <Waiting what="what the server offers" />
  if (offered.isLoadingError) return <ErrorLine>{inWords(offered.error)}</ErrorLine>
  const { models, failure } = offered.data
  if (failure) return <ErrorLine>{failure.text}</ErrorLine>
  if (models.length === 0)
    return <p className="text-sm text-soft">The server answered with an empty list.</p>
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean)
  const shown = models.filter((m) => wanted.every((w) => m.name.toLowerCase().includes(w)))
  const free = shown.filter((m) => !m.added)
  const add = () =>
    write(async () => {
      await addModels(at.id, { names: ticked })
      close()
    })
  return (
    <div className="grid gap-3">
      <div className="flex items-end gap-3">
        <Field
          label="Search"
          className="w-64"
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
        <Button
          lacks={[free.length === 0 && 'all that is shown is ticked or added']}
          onClick={() => setTicked([...new Set([...ticked, ...free.map((m) => m.name)])])}
        >
          Tick all {free.length} shown
        </Button>
        <span className="ml-auto pb-1.5 text-sm text-soft">
          {shown.length === models.length
            ? plural(models.length, 'model')
            : `${count(shown.length)} of ${plural(models.length, 'model')}`}
        </span>
      </div>
      <div className="max-h-[50vh] overflow-y-auto">
        <table className="w-full text-sm">
          <thead>
            <tr className="border-b border-rule-strong text-left text-xs text-soft">
              <th className="py-1 font-semibold">Model</th>
              <th className="w-36 text-right font-semibold">Context, tokens</th>
            </tr>
          </thead>
          <tbody>
            {shown.map((m) => (
              <tr key={m.name} className="border-b border-rule">
                <td className="py-1.5">
                  <label className="flex items-baseline gap-2 break-all">
                    <input
                      type="checkbox"
                      disabled={m.added}
                      checked={m.added || ticked.includes(m.name)}
                      onChange={(e) =>
                        setTicked(
                          e.target.checked
                            ? [...ticked, m.name]
                            : ticked.filter((n) => n !== m.name),
                        )
                      }
                    />
                    {m.name} {m.simulated && <Simulated />}
                    {m.added && <span className="text-soft">added</span>}
                  </label>
                </td>
                <td className="text-right font-mono text-xs">
                  {m.context_length === null ? 'not told' : count(m.context_length)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {shown.length === 0 && <p className="py-3 text-sm text-soft">None has these words.</p>}
      </div>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <div className="flex items-baseline gap-3">
        <Button
          kind="main"
          lacks={[ticked.length === 0 && 'none is ticked']}
          onClick={() => void add()}
        >
          {ticked.length === 0 ? 'Add models' : `Add ${plural(ticked.length, 'model')}`}
        </Button>
        <span className="text-sm text-soft">Prices are set with each of them afterwards.</span>
      </div>
    </div>
  )
}
