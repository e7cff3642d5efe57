import { useQuery, queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body, type Query } from './client'

/** A brief's trials, newest first. */
export const trialsQuery = (brief: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'trials'] as const,
    queryFn: () =>
      dataOf(api.GET('/api/briefs/{brief_id}/trials/', { params: { path: { brief_id: brief } } })),
  })

/** A trial with its arms' figures. */
export const trialQuery = (trial: number) =>
  queryOptions({
    queryKey: ['trial', trial] as const,
    queryFn: () =>
      dataOf(api.GET('/api/trials/{trial_id}/', { params: { path: { trial_id: trial } } })),
  })

/** Calls, tokens and price of a trial, and what stands in its way; nothing is stored. */
export const planTrialQuery = (brief: number, body: Body<'plan_trial'>) =>
  queryOptions({
    queryKey: ['plan', brief, body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/briefs/{brief_id}/plan/', {
          params: { path: { brief_id: brief } },
          body,
          signal,
        }),
      ),
  })

/** Start a trial; the worker takes it up within a second. */
export const startTrial = (brief: number, body: Body<'start_trial'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/trials/start/', {
      params: { path: { brief_id: brief } },
      body,
    }),
  )

/** Ask one output, an arm or all of a trial again; the former answers are kept. */
export const askAfresh = (trial: number, body: Body<'ask_afresh'> = {}) =>
  dataOf(
    api.POST('/api/trials/{trial_id}/afresh/', { params: { path: { trial_id: trial } }, body }),
  )

/** Ask a trial to stop at once; what has come in stays. */
export const cancelTrial = (trial: number) =>
  dataOf(api.POST('/api/trials/{trial_id}/cancel/', { params: { path: { trial_id: trial } } }))

/** Ask a trial to pause: no new calls, and those under way come in. */
export const pauseTrial = (trial: number) =>
  dataOf(api.POST('/api/trials/{trial_id}/pause/', { params: { path: { trial_id: trial } } }))

/** Run what an ended trial is missing: outputs never had, and failed calls. */
export const continueTrial = (trial: number, body: Body<'continue_trial'> = {}) =>
  dataOf(
    api.POST('/api/trials/{trial_id}/continue/', { params: { path: { trial_id: trial } }, body }),
  )

/** Add cases, arms or repeats to an ended trial; what it has is not asked again. */
export const extendTrial = (trial: number, body: Body<'extend_trial'> = {}) =>
  dataOf(
    api.POST('/api/trials/{trial_id}/extend/', { params: { path: { trial_id: trial } }, body }),
  )

/** What an extension adds and costs; nothing is stored. */
export const planExtensionQuery = (trial: number, body: Body<'plan_extension'> = {}) =>
  queryOptions({
    queryKey: ['extension', trial, body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/trials/{trial_id}/extension/', {
          params: { path: { trial_id: trial } },
          body,
          signal,
        }),
      ),
  })

/** The matrix, and the newest event it already contains: a page goes on from there. */
export const cellsQuery = (trial: number) =>
  queryOptions({
    queryKey: ['trial', trial, 'cells'] as const,
    queryFn: () =>
      dataOf(api.GET('/api/trials/{trial_id}/cells/', { params: { path: { trial_id: trial } } })),
  })

/** Each judge of a trial: how far it agrees with people, and whether order or length sways it. */
export const trialJudgesQuery = (trial: number, as: unknown) =>
  queryOptions({
    queryKey: ['trial', trial, 'judges', as] as const,
    queryFn: () =>
      dataOf(api.GET('/api/trials/{trial_id}/judges/', { params: { path: { trial_id: trial } } })),
  })

/** An arm's answers as labels: confusion matrix, precision, recall and F1; `field` chooses. */
export const armLabelsQuery = (trial: number, arm: number, query: Query<'arm_labels'>) =>
  queryOptions({
    queryKey: ['trial', trial, 'labels', arm, query] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/trials/{trial_id}/labels/{arm_id}/', {
          params: { path: { trial_id: trial, arm_id: arm }, query },
        }),
      ),
  })

/** Score a trial's stored answers by another scorecard and read it by that one from now on. */
export const rescore = (trial: number, body: Body<'rescore'>) =>
  dataOf(
    api.POST('/api/trials/{trial_id}/rescore/', { params: { path: { trial_id: trial } }, body }),
  )

/** What reading a trial by another scorecard will cost: nothing, but for its judges' calls. */
export const planRescoreQuery = (trial: number, body: Body<'plan_rescore'>) =>
  queryOptions({
    queryKey: ['trial', trial, 'rescore-plan', body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/trials/{trial_id}/rescore/plan/', {
          params: { path: { trial_id: trial } },
          body,
          signal,
        }),
      ),
  })

/** One output whole. */
export const outputQuery = (output: number) =>
  queryOptions({
    queryKey: ['output', output] as const,
    queryFn: () =>
      dataOf(api.GET('/api/outputs/{output_id}/', { params: { path: { output_id: output } } })),
  })
export const output = (output: number) =>
  dataOf(api.GET('/api/outputs/{output_id}/', { params: { path: { output_id: output } } }))

/** Decide what an answer is; the decision holds for every answer with the same text. */
export const settleOutcome = (output: number, body: Body<'settle_outcome'>) =>
  dataOf(
    api.POST('/api/outputs/{output_id}/settle/', { params: { path: { output_id: output } }, body }),
  )

export const useTrials = (brief: number) => useQuery(trialsQuery(brief))
export const useTrial = (trial: number | null) =>
  useQuery({ ...trialQuery(trial ?? 0), enabled: trial !== null })
export const useOutput = (output: number | null) =>
  useQuery({ ...outputQuery(output ?? 0), enabled: output !== null })

/** Rename a trial, write beside it, put it out of the way or bring it back. */
export const noteTrial = (trial: number, body: Body<'note_trial'>) =>
  dataOf(api.POST('/api/trials/{trial_id}/note/', { params: { path: { trial_id: trial } }, body }))

/** The arms that two trials both have. */
export const trialsBesideQuery = (trial: number, other: number) =>
  queryOptions({
    queryKey: ['trial', trial, 'beside', other] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/trials/{trial_id}/beside/{other_id}/', {
          params: { path: { trial_id: trial, other_id: other } },
        }),
      ),
  })

/** What a trial was planned from, so that another can be planned like it. */
export const trialChoicesQuery = (trial: number) =>
  queryOptions({
    queryKey: ['trial', trial, 'choices'] as const,
    queryFn: () =>
      dataOf(api.GET('/api/trials/{trial_id}/choices/', { params: { path: { trial_id: trial } } })),
  })
