import { queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body, type Query } from './client'

/** Every wording of what a proposing model is told, the newest first. */
export const instructionsQuery = (role: string) =>
  queryOptions({
    queryKey: ['instructions', role] as const,
    queryFn: () => dataOf(api.GET('/api/instructions/{role}/', { params: { path: { role } } })),
  })

/** Keep a wording as the next version: models are told it from now on. */
export const keepInstruction = (role: string, body: Body<'keep_instruction'>) =>
  dataOf(api.POST('/api/instructions/{role}/keep/', { params: { path: { role } }, body }))

/** What a helping model would be asked, and what that can cost at most. */
export const preparedQuery = (body: Body<'consult'>) =>
  queryOptions({
    queryKey: ['consultation', 'prepare', body] as const,
    queryFn: async ({ signal }) =>
      (await dataOf(api.POST('/api/consultations/', { body: { ...body, ask: false }, signal })))
        .prepared,
  })

/** Ask a helping model; its reply is kept until it is taken or dropped. */
export const consult = (body: Body<'consult'>) => dataOf(api.POST('/api/consultations/', { body }))

/** The newest reply in a role that was neither taken nor dropped, of a brief where one is named. */
export const openConsultationQuery = (query: Query<'open_consultation'>) =>
  queryOptions({
    queryKey: ['consultation', 'open', query] as const,
    queryFn: async () =>
      (await dataOf(api.GET('/api/consultations/', { params: { query } }))).consultation,
  })

/** One consultation with its reply as it is read now. */
export const settleConsultation = (consultation: number, body: Body<'settle_consultation'> = {}) =>
  dataOf(
    api.PATCH('/api/consultations/{consultation_id}/', {
      params: { path: { consultation_id: consultation } },
      body,
    }),
  )
