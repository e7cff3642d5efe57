import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { briefQuery } from '@/api/briefs'
import { connectionsQuery } from '@/api/connections'
import { deskQuery, ledgerKey, sessionQuery } from '@/api/desk'
import { listen } from '@/api/live'
import { trialQuery, trialsQuery } from '@/api/trials'
import { verdictsQuery } from '@/api/verdicts'

// A running trial sends several events a second; figures are asked for at this pace at most.
const PACE_MS = 1200

/** Keep what is on screen true: events name what changed, the cache asks for it again. */
export function useLiveRefresh(): void {
  const cache = useQueryClient()
  useEffect(() => {
    const due = new Map<string, readonly unknown[]>()
    let timer: number | null = null
    const flush = () => {
      timer = null
      const waiting = [...due.values()]
      due.clear()
      // A thing's own key has two parts; what hangs below it (cells, versions) is not asked for again.
      waiting.forEach(
        (key) => void cache.invalidateQueries({ queryKey: key, exact: key.length === 2 }),
      )
    }
    const ask = (...wanted: (readonly unknown[])[]) => {
      wanted.forEach((key) => due.set(JSON.stringify(key), key))
      timer ??= window.setTimeout(flush, PACE_MS)
    }
    const stop = listen((event) => {
      if (event.kind === 'snapshot') {
        void cache.invalidateQueries()
        return
      }
      const [noun, id] = event.topic.split(':')
      if (noun === 'trial') {
        ask(trialQuery(Number(id)).queryKey, sessionQuery().queryKey)
        if (event.kind !== 'outputs') ask(['brief'], deskQuery().queryKey)
        // Stage words and lists carry the running trial's progress.
        cache
          .getQueryCache()
          .findAll({ queryKey: ['brief'] })
          .filter((q) => q.queryKey.length === 2 || q.queryKey[2] === 'trials')
          .forEach((q) => ask(q.queryKey))
        ask(deskQuery().queryKey)
      } else if (noun === 'brief') {
        ask(
          briefQuery(Number(id)).queryKey,
          deskQuery().queryKey,
          trialsQuery(Number(id)).queryKey,
          ledgerKey,
        )
        ask(verdictsQuery(Number(id)).queryKey)
      } else if (noun === 'connection') ask(connectionsQuery().queryKey)
      else ask(deskQuery().queryKey, connectionsQuery().queryKey, ledgerKey)
    })
    return () => {
      stop()
      if (timer !== null) window.clearTimeout(timer)
    }
  }, [cache])
}
