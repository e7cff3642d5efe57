import { useQuery, queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body, type Query } from './client'

/** Outputs to read with this reader's marks; `trial`, `arm`, `tag` and `order` choose; by chance unless marked answers have changed. */
export const readingQuery = (brief: number, query: Query<'reading'>) =>
  queryOptions({
    queryKey: ['brief', brief, 'reading', query] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/reading/', {
          params: { path: { brief_id: brief }, query },
        }),
      ),
  })

/** Mark an output good, usable or bad. */
export const markOutput = (output: number, body: Body<'mark_output'>) =>
  dataOf(
    api.POST('/api/outputs/{output_id}/marks/', { params: { path: { output_id: output } }, body }),
  )

/** Take over the mark of an identical answer to the same case. */
export const inheritMark = (output: number, body: Body<'inherit_mark'>) =>
  dataOf(
    api.POST('/api/outputs/{output_id}/marks/inherit/', {
      params: { path: { output_id: output } },
      body,
    }),
  )

/** Take one's own mark back; it stays in history. */
export const takeBackMark = (output: number) =>
  dataOf(
    api.POST('/api/outputs/{output_id}/marks/take-back/', {
      params: { path: { output_id: output } },
    }),
  )

/** Make a precedent of an answer: every version is held to it from now on. */
export const keepPrecedent = (output: number, body: Body<'keep_precedent'>) =>
  dataOf(
    api.POST('/api/outputs/{output_id}/precedents/', {
      params: { path: { output_id: output } },
      body,
    }),
  )

/** Checks that would catch again what is said of an answer; nothing is stored. */
export const proposePrecedentsQuery = (output: number, body: Body<'propose_precedents'> = {}) =>
  queryOptions({
    queryKey: ['propose-precedents', output, body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/outputs/{output_id}/precedents/propose/', {
          params: { path: { output_id: output } },
          body,
          signal,
        }),
      ),
  })

/** Retire a precedent: it is kept, and no version is held to it any more. */
export const retirePrecedent = (precedent: number) =>
  dataOf(
    api.POST('/api/precedents/{precedent_id}/retire/', {
      params: { path: { precedent_id: precedent } },
    }),
  )

/** A brief's precedents, the newest first. */
export const precedentsQuery = (brief: number) =>
  queryOptions({
    queryKey: ['precedents', brief] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/precedents/', { params: { path: { brief_id: brief } } }),
      ),
  })

/** Which arm of a trial holds how many precedents, and where it breaks one. */
export const trialPrecedentsQuery = (trial: number, as: unknown) =>
  queryOptions({
    queryKey: ['trial', trial, 'precedents', as] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/trials/{trial_id}/precedents/', { params: { path: { trial_id: trial } } }),
      ),
  })

/** Ask judges about some of a trial's answers that are still open, and keep what they say. */
export const askRulings = (trial: number) =>
  dataOf(
    api.POST('/api/trials/{trial_id}/precedents/ask/', { params: { path: { trial_id: trial } } }),
  )

/** Whether a trial's measures say what readers say, and where they part. */
export const measuresAgainstMarksQuery = (trial: number, as: unknown) =>
  queryOptions({
    queryKey: ['trial', trial, 'measures-against-marks', as] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/trials/{trial_id}/measures-against-marks/', {
          params: { path: { trial_id: trial } },
        }),
      ),
  })

/** How far the readers of a trial agree, and what they have to settle. */
export const trialReadersQuery = (trial: number) =>
  queryOptions({
    queryKey: ['trial', trial, 'readers'] as const,
    queryFn: () =>
      dataOf(api.GET('/api/trials/{trial_id}/readers/', { params: { path: { trial_id: trial } } })),
  })

/** Pairs of answers of the chosen arms, in seeded order with sides by chance. */
export const pairsQuery = (trial: number, body: Body<'pairs'>) =>
  queryOptions({
    queryKey: ['trial', trial, 'pairs', body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/trials/{trial_id}/pairs/', {
          params: { path: { trial_id: trial } },
          body,
          signal,
        }),
      ),
  })

/** Prefer the left one, the right one or neither. */
export const prefer = (trial: number, body: Body<'prefer'>) =>
  dataOf(
    api.POST('/api/trials/{trial_id}/prefer/', { params: { path: { trial_id: trial } }, body }),
  )

/** Strengths of a trial's arms from all preferences. */
export const preferencesQuery = (trial: number) =>
  queryOptions({
    queryKey: ['trial', trial, 'preferences'] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/trials/{trial_id}/preferences/', { params: { path: { trial_id: trial } } }),
      ),
  })

/** What people, measures and judges say against one version's answers in a trial, grouped. */
export const trialFaultsQuery = (trial: number, number: number, query: Query<'trial_faults'>) =>
  queryOptions({
    queryKey: ['trial', trial, 'faults', number, query] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/trials/{trial_id}/faults/{number}/', {
          params: { path: { trial_id: trial, number }, query },
        }),
      ),
  })

/** Put a remark with another one's group, in one of its own, or back. */
export const placeRemark = (trial: number, number: number, body: Body<'place_remark'>) =>
  dataOf(
    api.POST('/api/trials/{trial_id}/faults/{number}/place/', {
      params: { path: { trial_id: trial, number } },
      body,
    }),
  )

/** Group what people said by meaning, by an embeddings model, or by its words again. */
export const groupRemarks = (trial: number, number: number, body: Body<'group_remarks'>) =>
  dataOf(
    api.POST('/api/trials/{trial_id}/faults/{number}/group/', {
      params: { path: { trial_id: trial, number } },
      body,
    }),
  )

/** Proposals that need no model: from findings with a fix, and from what failed measures ask for. */
export const amendByRule = (brief: number, body: Body<'amend_by_rule'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/amend-by-rule/', {
      params: { path: { brief_id: brief } },
      body,
    }),
  )

/** The text with the proposals that are taken, edited ones checked like new; nothing is saved. */
export const applyAmendmentsQuery = (brief: number, body: Body<'apply_amendments'>) =>
  queryOptions({
    queryKey: ['apply-amendments', brief, body] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/briefs/{brief_id}/apply-amendments/', {
          params: { path: { brief_id: brief } },
          body,
          signal,
        }),
      ),
  })

/** What is to be read: a trial (the newest for null), one arm of it or all, cases of one tag or all, in which order ('' lets the server choose). */
export type Wanted = { trial: number | null; arm: number | null; tag: string; order: string }

/** The answers to be read. The order is fixed: a refetch in mid-reading must not move the place. */
export const useReading = (brief: number, wanted: Wanted) =>
  useQuery({
    ...readingQuery(brief, {
      ...(wanted.order ? { order: wanted.order } : {}),
      ...(wanted.trial ? { trial: wanted.trial } : {}),
      ...(wanted.arm ? { arm: wanted.arm } : {}),
      ...(wanted.tag ? { tag: wanted.tag } : {}),
    }),
    staleTime: Infinity,
  })

/** The cases of a trial whose answers are asked for, in the order asked for. */
export const selectionQuery = (trial: number, query: Query<'selection'>, as: unknown) =>
  queryOptions({
    queryKey: ['trial', trial, 'selection', query, as] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.GET('/api/trials/{trial_id}/selection/', {
          params: { path: { trial_id: trial }, query },
          signal,
        }),
      ),
  })

/** What each arm's total is made of: measures, marks, precedents, cases won and lost. */
export const armsInFullQuery = (trial: number, as: unknown) =>
  queryOptions({
    queryKey: ['trial', trial, 'arms', as] as const,
    queryFn: () =>
      dataOf(api.GET('/api/trials/{trial_id}/arms/', { params: { path: { trial_id: trial } } })),
  })

/** What differs between an answer and what is wanted, or another answer to the same case. */
export const differencesOfAnswersQuery = (
  output: number,
  query: Query<'differences_of_answers'>,
  as: unknown,
) =>
  queryOptions({
    queryKey: ['output', output, 'differences', query, as] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/outputs/{output_id}/differences/', {
          params: { path: { output_id: output }, query },
        }),
      ),
  })

/** Everything that was read of a dataset's references. */
const referencesOf = (dataset: number) => ['references', dataset] as const

/** Cases whose reference is to be written, with what an arm answered and what others wrote. */
export const referencesQuery = (dataset: number, query: Query<'references'>, turn: number) =>
  queryOptions({
    queryKey: [...referencesOf(dataset), query, turn] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/datasets/{dataset_id}/references/', {
          params: { path: { dataset_id: dataset }, query },
        }),
      ),
  })

/** Write what is right for a case. */
export const writeReference = (revision: number, body: Body<'write_reference'>) =>
  dataOf(
    api.POST('/api/revisions/{revision_id}/reference/', {
      params: { path: { revision_id: revision } },
      body,
    }),
  )

/** What the cases are by tag, label, length and language, and where there are too few. */
export const missingQuery = (dataset: number, query: Query<'missing'>, as: unknown) =>
  queryOptions({
    queryKey: ['missing', dataset, query, as] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/datasets/{dataset_id}/missing/', {
          params: { path: { dataset_id: dataset }, query },
        }),
      ),
  })

/** Cases of another dataset of the brief that are like those of one part of this. */
export const alikeQuery = (dataset: number, query: Query<'alike'>) =>
  queryOptions({
    queryKey: ['alike', dataset, query] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/datasets/{dataset_id}/alike/', {
          params: { path: { dataset_id: dataset }, query },
        }),
      ),
  })
