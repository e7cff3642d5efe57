import { queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body, type Query } from './client'

/** Texts to begin with; q, task, tag, source, setting and value narrow them. */
export const shelfQuery = (query: Query<'shelf'>) =>
  queryOptions({
    queryKey: ['shelf', query] as const,
    queryFn: () => dataOf(api.GET('/api/shelf/', { params: { query } })),
  })

/** Put a text of one's own on the shelf. */
export const keepOnShelf = (body: Body<'keep_on_shelf'>) =>
  dataOf(api.POST('/api/shelf/keep/', { body }))

/** Take a text of one's own off the shelf. */
export const takeOffShelf = (entry: number) =>
  dataOf(api.POST('/api/shelf/{entry_id}/take-off/', { params: { path: { entry_id: entry } } }))
