import { useEffect, useState } from 'react'
import type { Schemas } from '@/api/client'
import { Note } from './Margin'
import { duration } from './numbers'

type Connection = Schemas['ConnectionShape']

/** How a connection is treated now, where that is not as usual. */
export function StandingNote({ connection }: { connection: Connection }) {
  const { state, reason, lanes, next_look_at: next } = connection.standing
  const left = useSecondsTo(next)
  if (state === 'steady') return null
  if (state === 'slowed') {
    const names = Object.keys(lanes)
    return (
      <Note tone="attention" title={`${connection.name} asked to slow down`}>
        Fewer calls at a time go to{' '}
        {names.length > 3 ? `${names.length} of its models` : names.join(', ')}; more again with
        every answer.
      </Note>
    )
  }
  return (
    <Note tone="harm" title={`${connection.name} is left alone for now`}>
      {reason}.{' '}
      {state === 'probing'
        ? 'One call is out to see whether it answers again.'
        : left !== null && left > 0
          ? `One call looks again in ${duration(left)}.`
          : 'The next call looks again.'}{' '}
      {state === 'given-up'
        ? 'It has been down for so long that calls end as failed at once.'
        : 'Calls wait.'}
    </Note>
  )
}

function useSecondsTo(when: string | null): number | null {
  const [now, setNow] = useState(() => Date.now())
  useEffect(() => {
    if (when === null) return
    const timer = window.setInterval(() => setNow(Date.now()), 1000)
    return () => window.clearInterval(timer)
  }, [when])
  return when === null ? null : Math.max(0, Math.round((new Date(when).getTime() - now) / 1000))
}
