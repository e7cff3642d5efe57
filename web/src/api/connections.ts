import { useQuery, queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body } from './client'

/** All connections with their models. A key's value is never part of it. */
export const connectionsQuery = () =>
  queryOptions({
    queryKey: ['connections'] as const,
    queryFn: () => dataOf(api.GET('/api/connections/')),
  })

/** What came of the attempts of the last 24 hours, hour by hour, the oldest first. */
export const connectionHealthQuery = (connection: number) =>
  queryOptions({
    queryKey: ['connections', connection, 'health'] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/connections/{connection_id}/health/', {
          params: { path: { connection_id: connection } },
        }),
      ),
  })

/** Change a connection; answers of its former address are not reused. */
export const changeConnection = (connection: number, body: Body<'change_connection'>) =>
  dataOf(
    api.PUT('/api/connections/{connection_id}/', {
      params: { path: { connection_id: connection } },
      body,
    }),
  )

/** Add a connection. */
export const addConnection = (body: Body<'add_connection'>) =>
  dataOf(api.POST('/api/connections/add/', { body }))

/** Have the simulated models run on this machine, and add them. */
export const addSimulated = () => dataOf(api.POST('/api/connections/simulated/'))

/** Ask the server for its models at once; an address without its usual end is completed and kept. */
export const checkConnection = (connection: number) =>
  dataOf(
    api.POST('/api/connections/{connection_id}/check/', {
      params: { path: { connection_id: connection } },
    }),
  )

/** The protocols that a server may speak. */
export const protocolsQuery = () =>
  queryOptions({
    queryKey: ['protocols'] as const,
    queryFn: () => dataOf(api.GET('/api/protocols/')),
  })

/** Change a model's name, context length or prices; arms planned before keep theirs. */
export const changeModel = (model: number, body: Body<'change_model'>) =>
  dataOf(api.PUT('/api/models/{model_id}/', { params: { path: { model_id: model } }, body }))

/** Add a model to a connection. */
export const addModel = (connection: number, body: Body<'add_model'>) =>
  dataOf(
    api.POST('/api/connections/{connection_id}/models/', {
      params: { path: { connection_id: connection } },
      body,
    }),
  )

/** Add several of the models that the server offers, with what its list says of them. */
export const addModels = (connection: number, body: Body<'add_models'>) =>
  dataOf(
    api.POST('/api/connections/{connection_id}/models/many/', {
      params: { path: { connection_id: connection } },
      body,
    }),
  )

/** The models that the server says it has. */
export const offeredModelsQuery = (connection: number) =>
  queryOptions({
    queryKey: ['offered', connection] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/connections/{connection_id}/offered/', {
          params: { path: { connection_id: connection } },
        }),
      ),
  })

/** Make one real call and show what came back; it goes before the trials' calls. */
export const testCall = (model: number, body: Body<'test_call'>) =>
  dataOf(api.POST('/api/models/{model_id}/test/', { params: { path: { model_id: model } }, body }))

/** Let one call look at once whether what rests answers again. */
export const tryConnectionNow = (connection: number) =>
  dataOf(
    api.POST('/api/connections/{connection_id}/try-now/', {
      params: { path: { connection_id: connection } },
    }),
  )

export const useConnections = () => useQuery(connectionsQuery())
export const useHealth = (connection: number) =>
  useQuery({ ...connectionHealthQuery(connection), refetchInterval: 20_000 })
