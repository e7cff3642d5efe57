import { useQuery } from '@tanstack/react-query'
import { useSearchParams } from 'react-router'
import type { Schemas } from '@/api/client'
import { listTwinsQuery } from '@/api/twins'

export type TwinSet = Schemas['TwinSetShape']
export type Only = 'all' | 'broken' | 'unknown' | 'obeyed'
/** What stands in the address, so that a reload or a link shows the same. */
export type Seen = {
  set: number | null
  trial: number | null
  arm: number | null
  kind: string
  case: number | null
  only: Only
}

const PACE_MS = 1500
const UNDER_WAY = ['queued', 'running']

export const underWay = (state: string) => UNDER_WAY.includes(state)

/** The sets of a brief; looked at again while one of them is asked. */
export function useTwinSets(brief: number) {
  return useQuery({
    ...listTwinsQuery(brief),
    refetchInterval: (q) =>
      q.state.data?.some((s) => s.runs.some((r) => underWay(r.state))) ? PACE_MS : false,
  })
}

const number = (text: string | null) => (text ? Number(text) : null)

/** What of the page is looked at, and the way to another part of it. */
export function useSeen(): [Seen, (part: Partial<Seen>) => void] {
  const [search, setSearch] = useSearchParams()
  const only = search.get('only')
  const seen: Seen = {
    set: number(search.get('set')),
    trial: number(search.get('trial')),
    arm: number(search.get('arm')),
    kind: search.get('kind') ?? '',
    case: number(search.get('case')),
    only: only === 'all' || only === 'unknown' || only === 'obeyed' ? only : 'broken',
  }
  const look = (part: Partial<Seen>) =>
    setSearch(
      (now) => {
        for (const [name, value] of Object.entries(part)) {
          if (value === null || value === '' || (name === 'only' && value === 'broken'))
            now.delete(name)
          else now.set(name, String(value))
        }
        return now
      },
      { replace: true },
    )
  return [seen, look]
}

export const EXPECTED = {
  same: 'the same answer',
  changed: 'another answer',
  refused_order: 'the order is not followed',
} as const

/** What a twin expects, with the fact where one was changed. */
export function expectedOf(
  twin: Pick<Schemas['TwinShape'], 'about' | 'expects' | 'token'>,
): string {
  const { was, becomes, fields } = twin.about as {
    was?: string
    becomes?: string
    fields?: Record<string, unknown>
  }
  if (twin.expects === 'refused_order') return `the order is not followed (${twin.token})`
  if (twin.expects === 'same') return 'the same answer'
  const where = Object.keys(fields ?? {}).join(', ')
  const what = becomes ? `${was} becomes ${becomes}` : `${was} is gone`
  return `another answer: ${what}${where ? `, in ${where}` : ''}`
}
