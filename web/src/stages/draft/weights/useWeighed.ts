import { useQuery } from '@tanstack/react-query'
import { listWeighingsQuery } from '@/api/weights'

/** Every weighing of a brief, newest first. */
export function useWeighings(brief: number) {
  return useQuery({ ...listWeighingsQuery(brief), staleTime: 0 })
}

/** The newest complete weighing of a version, if there is one. */
export function useWeighed(brief: number, version: number | null) {
  const list = useWeighings(brief)
  return list.data?.find((w) => w.version === version && w.state === 'complete')
}
