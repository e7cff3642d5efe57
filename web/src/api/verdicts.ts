import { useQuery, queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body } from './client'

/** Two arms of a trial: the paired difference, and the cases won and lost. */
export const compareArmsQuery = (trial: number, arm: number, against: number) =>
  queryOptions({
    queryKey: ['trial', trial, 'compare', arm, against] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/trials/{trial_id}/compare/{arm_id}/{against_id}/', {
          params: { path: { trial_id: trial, arm_id: arm, against_id: against } },
        }),
      ),
  })

/** What a good answer of each arm costs and how long answers take, with intervals. */
export const meritsQuery = (trial: number) =>
  queryOptions({
    queryKey: ['trial', trial, 'merits'] as const,
    queryFn: () =>
      dataOf(api.GET('/api/trials/{trial_id}/merits/', { params: { path: { trial_id: trial } } })),
  })

/** What the spread of scores is due to among the arms tried, and two arms on parts of the cases. */
export const spreadQuery = (trial: number, arm: number, against: number, as: unknown) =>
  queryOptions({
    queryKey: ['trial', trial, 'spread', arm, against, as] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/trials/{trial_id}/spread/{arm_id}/{against_id}/', {
          params: { path: { trial_id: trial, arm_id: arm, against_id: against } },
        }),
      ),
  })

/** A brief's verdicts, newest first. */
export const verdictsQuery = (brief: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'verdicts'] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/verdicts/', { params: { path: { brief_id: brief } } }),
      ),
  })

/** What adopting this arm has to answer to: no held-out evidence, figures against it. */
export const adoptionQuery = (arm: number) =>
  queryOptions({
    queryKey: ['adoption', arm] as const,
    queryFn: () =>
      dataOf(api.GET('/api/arms/{arm_id}/adoption/', { params: { path: { arm_id: arm } } })),
  })

/** Adopt an arm, with a reason; the evidence is recorded as it is now. */
export const adoptArm = (brief: number, body: Body<'adopt_arm'>) =>
  dataOf(api.POST('/api/briefs/{brief_id}/adopt/', { params: { path: { brief_id: brief } }, body }))

/** Whether the adopted arm still stands: what later trials and its watch say against it. */
export const standingQuery = (brief: number) =>
  queryOptions({
    queryKey: ['brief', brief, 'standing'] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/standing/', { params: { path: { brief_id: brief } } }),
      ),
  })

/** The newest held-out check of two arms, and how often held-out cases were looked at. */
export const heldOutCheckQuery = (trial: number, arm: number, against: number) =>
  queryOptions({
    queryKey: ['trial', trial, 'check', arm, against] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/trials/{trial_id}/check/{arm_id}/{against_id}/', {
          params: { path: { trial_id: trial, arm_id: arm, against_id: against } },
        }),
      ),
  })

/** Run two arms once on the held-out cases: one more look, written into the ledger. */
export const startCheck = (trial: number, arm: number, against: number) =>
  dataOf(
    api.POST('/api/trials/{trial_id}/check/{arm_id}/{against_id}/start/', {
      params: { path: { trial_id: trial, arm_id: arm, against_id: against } },
    }),
  )

/** What a watch over an adopted arm would be able to see; nothing is stored. */
export const watchPowerQuery = (verdict: number, body: Body<'plan_watch'>) =>
  queryOptions({
    queryKey: ['verdict', verdict, 'watch', body] as const,
    queryFn: () =>
      dataOf(
        api.POST('/api/verdicts/{verdict_id}/watch/plan/', {
          params: { path: { verdict_id: verdict } },
          body,
        }),
      ),
    retry: false,
  })

/** Keep watch over an adopted arm: its first run is started, checks follow. */
export const startWatch = (verdict: number, body: Body<'start_watch'>) =>
  dataOf(
    api.POST('/api/verdicts/{verdict_id}/watch/', {
      params: { path: { verdict_id: verdict } },
      body,
    }),
  )

/** Check now: the arm is asked again on the watch's cases. */
export const askAgain = (watch: number) =>
  dataOf(api.POST('/api/watches/{watch_id}/ask/', { params: { path: { watch_id: watch } } }))

/** No more checks; what was found stays. */
export const stopWatch = (watch: number) =>
  dataOf(api.POST('/api/watches/{watch_id}/stop/', { params: { path: { watch_id: watch } } }))

export const useVerdicts = (brief: number) => useQuery(verdictsQuery(brief))
export const useComparison = (trial: number | null, a: number | null, b: number | null) =>
  useQuery({
    ...compareArmsQuery(trial ?? 0, a ?? 0, b ?? 0),
    enabled: trial !== null && a !== null && b !== null && a !== b,
    // Somebody may have read and marked cases since.
    staleTime: 0,
  })

/** All arms taken at once; asked after the comparison, which is read first. */
export const useTogether = (trial: number, b: number | undefined, ready: boolean) =>
  useQuery({
    queryKey: ['trial', trial, 'together', b] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/trials/{trial_id}/together/{against_id}/', {
          params: { path: { trial_id: trial, against_id: b ?? 0 } },
        }),
      ),
    enabled: ready && b !== undefined,
  })
