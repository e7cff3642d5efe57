import { useQuery } from '@tanstack/react-query'
import { api, dataOf, inWords, type Schemas } from '@/api/client'
import { ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { count } from '@/parts/numbers'
import type { Opened } from './ModelsPage'

/** The models a server says it has; each can be added, with its context where that is told. */
export function OfferedModels({
  at,
  open,
}: {
  at: Schemas['ConnectionShape']
  open: (o: Opened) => void
}) {
  const offered = useQuery({
    queryKey: ['offered', at.id],
    queryFn: () =>
      dataOf(
        api.GET('/api/connections/{connection_id}/offered/', {
          params: { path: { connection_id: at.id } },
        }),
      ),
    retry: false,
    gcTime: 0,
  })
  if (offered.isPending) return <Waiting what="what the server offers" />
  if (offered.isError) return <ErrorLine>{inWords(offered.error)}</ErrorLine>
  const { models, failure } = offered.data
  if (failure) return <ErrorLine>{failure.text}</ErrorLine>
  if (models.length === 0)
    return <p className="text-sm text-soft">The server answered with an empty list.</p>
  return (
    <table className="w-full text-sm">
      <thead>
        <tr className="border-b border-rule-strong text-left text-xs text-soft">
          <th className="py-1 font-semibold">Model</th>
          <th className="w-36 text-right font-semibold">Context, tokens</th>
          <th className="w-24">
            <span className="sr-only">Add</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {models.map((m) => (
          <tr key={m.name} className="border-b border-rule">
            <td className="py-1.5 break-all">{m.name}</td>
            <td className="text-right font-mono text-xs">
              {m.context_length === null ? 'not told' : count(m.context_length)}
            </td>
            <td className="text-right">
              {m.added ? (
                <span className="text-soft">added</span>
              ) : (
                <TextAction
                  onClick={() =>
                    open({
                      kind: 'model',
                      at,
                      of: null,
                      named: { name: m.name, context: m.context_length },
                    })
                  }
                >
                  Add…
                </TextAction>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
