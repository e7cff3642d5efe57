import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { keys } from '@/api/queries'
import { listen } from '@/api/live'

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
        ask(keys.trial(Number(id)), keys.session)
        if (event.kind !== 'outputs') ask(['brief'], keys.desk)
        // Stage words and lists carry the running trial's progress.
        cache
          .getQueryCache()
          .findAll({ queryKey: ['brief'] })
          .filter((q) => q.queryKey.length === 2 || q.queryKey[2] === 'trials')
          .forEach((q) => ask(q.queryKey))
        ask(keys.desk)
      } else if (noun === 'brief') {
        ask(keys.brief(Number(id)), keys.desk, keys.trials(Number(id)), keys.ledger)
        ask(keys.verdicts(Number(id)))
      } else if (noun === 'connection') ask(keys.connections)
      else ask(keys.desk, keys.connections, keys.ledger)
    })
    return () => {
      stop()
      if (timer !== null) window.clearTimeout(timer)
    }
  }, [cache])
}
