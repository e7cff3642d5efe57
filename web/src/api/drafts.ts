import { queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body } from './client'

/** The unsaved text on a version (0: on none), and what it said before. */
export const workingCopyQuery = (brief: number, base: number) =>
  queryOptions({
    queryKey: ['copy', brief, base] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/copies/{base}/', {
          params: { path: { brief_id: brief, base } },
        }),
      ),
  })
export const workingCopy = (brief: number, base: number) =>
  dataOf(
    api.GET('/api/briefs/{brief_id}/copies/{base}/', {
      params: { path: { brief_id: brief, base } },
    }),
  )

/** Keep the unsaved text; refused with what is there when another tab changed it meanwhile. */
export const keepCopy = (brief: number, body: Body<'keep_copy'>) =>
  dataOf(api.PUT('/api/briefs/{brief_id}/copies/', { params: { path: { brief_id: brief } }, body }))

/** What can be said about a text under work; bad text is reported, not refused. */
export const triesKey = (brief: number) => ['tries', brief] as const

/** A text that was asked while it was under work, with its answers: the last, or the one of a number. */
export const triesQuery = (brief: number, number: number | null) =>
  queryOptions({
    queryKey: [...triesKey(brief), number] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/tries/', {
          params: { path: { brief_id: brief }, query: number === null ? {} : { number } },
        }),
      ),
  })

/** Say what an answer of a try is worth. */
export const markTry = (brief: number, number: number, body: Body<'mark_try'>) =>
  dataOf(
    api.PATCH('/api/briefs/{brief_id}/tries/{number}/', {
      params: { path: { brief_id: brief, number } },
      body,
    }),
  )

/** Ask nothing more of a try; what has come stays. */
export const stopTry = (brief: number, number: number) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/tries/{number}/stop/', {
      params: { path: { brief_id: brief, number } },
    }),
  )

/** What is set for the next try: inputs typed, models, settings. */
export const tryFormQuery = (brief: number) =>
  queryOptions({
    queryKey: ['try form', brief] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/try-form/', { params: { path: { brief_id: brief } } }),
      ),
  })

/** Keep what is set; refused with what is there when another tab changed it meanwhile. */
export const keepTryForm = (brief: number, body: Body<'keep_try_form'>) =>
  dataOf(
    api.PUT('/api/briefs/{brief_id}/try-form/keep/', {
      params: { path: { brief_id: brief } },
      body,
    }),
  )

/** What was kept of answers, in its order. */
export const piecesQuery = (brief: number) =>
  queryOptions({
    queryKey: ['pieces', brief] as const,
    queryFn: () =>
      dataOf(api.GET('/api/briefs/{brief_id}/pieces/', { params: { path: { brief_id: brief } } })),
  })

/** Keep words of an answer in the brief's collection. */
export const keepPiece = (brief: number, body: Body<'keep_piece'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/pieces/keep/', {
      params: { path: { brief_id: brief } },
      body,
    }),
  )

/** Put the collection in order; what is left out is taken out. */
export const arrangePieces = (brief: number, body: Body<'arrange_pieces'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/pieces/arrange/', {
      params: { path: { brief_id: brief } },
      body,
    }),
  )

/** About what a try would cost; nothing is asked. */
export const tryPriceQuery = (brief: number, body: Body<'try_price'>) =>
  queryOptions({
    queryKey: ['try price', brief, body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/briefs/{brief_id}/try/price/', {
          params: { path: { brief_id: brief } },
          body,
          signal,
        }),
      ),
  })

export const draftReportQuery = (brief: number, body: Body<'draft_report'>) =>
  queryOptions({
    queryKey: ['draft', brief, body] as const,
    // With the texts it speaks of: by the time it comes they may have changed.
    queryFn: async ({ signal }) => ({
      ...(await dataOf(
        api.POST('/api/briefs/{brief_id}/draft/', {
          params: { path: { brief_id: brief } },
          body,
          signal,
        }),
      )),
      texts: body.messages.map((m) => m.content),
    }),
  })

/** The cases held ready while drafting; a POST pins one or lets it go. */
export const pinsQuery = (brief: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'pins'] as const,
    queryFn: () =>
      dataOf(api.GET('/api/briefs/{brief_id}/pins/', { params: { path: { brief_id: brief } } })),
  })

/** The cases held ready while drafting; a POST pins one or lets it go. */
export const pinCase = (brief: number, body: Body<'pin_case'>) =>
  dataOf(api.POST('/api/briefs/{brief_id}/pins/', { params: { path: { brief_id: brief } }, body }))

/** What the brief and the text under work leave open, and what was settled. */
export const questionsQuery = (brief: number, body: Body<'questions'>) =>
  queryOptions({
    queryKey: ['questions', brief, body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/briefs/{brief_id}/questions/', {
          params: { path: { brief_id: brief } },
          body,
          signal,
        }),
      ),
  })

/** Answer, skip or wave a question; an answer comes back as a clause to take or leave. */
export const settleQuestion = (brief: number, body: Body<'settle_question'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/questions/settle/', {
      params: { path: { brief_id: brief } },
      body,
    }),
  )

/** The text that the clauses taken make, with the reason of each; nothing is saved. */
export const composeVersionQuery = (brief: number, body: Body<'compose_version'>) =>
  queryOptions({
    queryKey: ['compose', brief, body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/briefs/{brief_id}/compose/', {
          params: { path: { brief_id: brief } },
          body,
          signal,
        }),
      ),
  })

/** Silence a rule of findings for this brief, with a reason; without one it speaks again. */
export const silenceFinding = (brief: number, body: Body<'silence_finding'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/silence/', { params: { path: { brief_id: brief } }, body }),
  )

/** A draft filled from one case, literally as it would be sent. */
export const renderDraftQuery = (body: Body<'render_draft'>) =>
  queryOptions({
    queryKey: ['render', body] as const,
    queryFn: ({ signal }) => dataOf(api.POST('/api/render/', { body, signal })),
  })
export const renderDraft = (body: Body<'render_draft'>) =>
  dataOf(api.POST('/api/render/', { body }))

/** The calls of one case as curl and Python, ready to run. */
export const requestCodeQuery = (body: Body<'request_code'>) =>
  queryOptions({
    queryKey: ['request-code', body] as const,
    queryFn: ({ signal }) => dataOf(api.POST('/api/request-code/', { body, signal })),
  })

/** Which of several answers are the same, and what differs between the others. */
export const differencesQuery = (body: Body<'differences'>) =>
  queryOptions({
    queryKey: ['differences', body] as const,
    queryFn: ({ signal }) => dataOf(api.POST('/api/differences/', { body, signal })),
  })

/** The messages of a prompt that a model has written: a prompt file, or a text of one message. */
export const openAnswer = (body: Body<'open_answer'>) =>
  dataOf(api.POST('/api/open-answer/', { body }))

/** Settings by kind of task: those that ship, then one's own. */
export const presetsQuery = () =>
  queryOptions({ queryKey: ['presets'] as const, queryFn: () => dataOf(api.GET('/api/presets/')) })

/** Keep settings under a name of one's own. */
export const keepPreset = (body: Body<'keep_preset'>) =>
  dataOf(api.POST('/api/presets/keep/', { body }))

/** Remove a preset of one's own. */
export const removePreset = (preset: number) =>
  dataOf(api.POST('/api/presets/{preset_id}/remove/', { params: { path: { preset_id: preset } } }))

/** What a text under work is read to ask for, each part with its words and the check it calls for. */
export const readDraftQuery = (brief: number, body: Body<'read_draft'>, card: number | null) =>
  queryOptions({
    queryKey: ['read', brief, body, card] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/briefs/{brief_id}/read/', {
          params: { path: { brief_id: brief } },
          body,
          signal,
        }),
      ),
  })
