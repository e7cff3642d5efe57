import { useQuery } from '@tanstack/react-query'
import { api, dataOf } from '@/api/client'

/** Every weighing of a brief, newest first. */
export function useWeighings(brief: number) {
  return useQuery({
    queryKey: ['brief', brief, 'weighings'],
    queryFn: () =>
      dataOf(
        api.GET('/api/briefs/{brief_id}/weighings/', { params: { path: { brief_id: brief } } }),
      ),
    staleTime: 0,
  })
}

/** The newest complete weighing of a version, if there is one. */
export function useWeighed(brief: number, version: number | null) {
  const list = useWeighings(brief)
  return list.data?.find((w) => w.version === version && w.state === 'complete')
}
