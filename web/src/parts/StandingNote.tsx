import { useEffect, useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { tryConnectionNow, connectionsQuery } from '@/api/connections'
import { useWrite } from '@/api/useWrite'
import { Button } from './controls'
import { Note } from './Margin'
import { duration } from './numbers'

type Connection = Schemas['ConnectionShape']

/** How a connection is treated now, where that is not as usual. */
export function StandingNote({ connection }: { connection: Connection }) {
  const { state, lanes } = connection.standing
  if (state === 'steady') return null
  const slowed = Object.entries(lanes).filter(([, lane]) => lane.state === 'slowed')
  const resting = Object.entries(lanes).filter(([, lane]) => lane.state !== 'slowed')
  return (
    <>
      {resting.length > 0 && <Resting connection={connection} names={resting.map(([n]) => n)} />}
      {slowed.length > 0 && (
        <Note tone="attention" title={`${connection.name} is asked less at a time`}>
          {[...new Set(slowed.map(([, lane]) => lane.reason))].map((reason) => {
            const of = slowed.filter(([, lane]) => lane.reason === reason)
            return (
              <span key={reason} className="block">
                {of.length > 3 ? `${of.length} of its models` : of.map(([n]) => n).join(', ')}:{' '}
                {reason}. {widths(of.map(([, lane]) => lane.width))}
              </span>
            )
          })}
        </Note>
      )}
    </>
  )
}

function widths(of: (number | null)[]): string {
  const known = of.filter((w) => w !== null)
  const low = Math.min(...known)
  const high = Math.max(...known)
  if (known.length === 0) return ''
  return low === high ? `${low} at a time now.` : `${low} to ${high} at a time now.`
}

function Resting({ connection, names }: { connection: Connection; names: string[] }) {
  const { state, reason, next_look_at: next } = connection.standing
  const { write, problem } = useWrite([connectionsQuery().queryKey])
  const left = useSecondsTo(next)
  const tryNow = () =>
    write(async () => {
      await tryConnectionNow(connection.id)
    })
  const whom =
    names.length < connection.models.length ? `${names.join(', ')} at ${connection.name}` : ''
  return (
    <Note tone="harm" title={`${whom || connection.name} is left alone for now`}>
      {reason}.{' '}
      {state === 'probing'
        ? 'One call is out to see whether it answers again.'
        : left !== null && left > 0
          ? `One call looks again in ${duration(left)}.`
          : 'The next call looks again.'}{' '}
      {state === 'given-up'
        ? 'It has been down for so long that calls end as failed at once.'
        : 'Calls wait.'}
      {state !== 'probing' && (
        <span className="mt-1 block font-sans">
          <Button small onClick={() => void tryNow()}>
            Try now
          </Button>
        </span>
      )}
      {problem !== null && <span className="block text-harm">{inWords(problem)}</span>}
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
