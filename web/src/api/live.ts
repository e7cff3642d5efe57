/** Live events: one stream per browser. One tab holds it and passes events on to the others. */

export type LiveEvent = { id: number; topic: string; kind: string; [more: string]: unknown }
type Listener = (event: LiveEvent) => void
type Sent =
  | { type: 'event'; event: LiveEvent }
  | { type: 'snapshot' }
  | { type: 'state'; open: boolean }
  // A tab that has just begun wants to know how things stand.
  | { type: 'ask' }

const listeners = new Set<Listener>()
const watchers = new Set<(open: boolean) => void>()
let connected = false
let started = false

/** Hear every event until the returned function is called. */
export function listen(listener: Listener): () => void {
  start()
  listeners.add(listener)
  return () => listeners.delete(listener)
}

/** Hear whether the stream is open until the returned function is called. */
export function watchConnection(watcher: (open: boolean) => void): () => void {
  start()
  watchers.add(watcher)
  watcher(connected)
  return () => watchers.delete(watcher)
}

function start(): void {
  if (started) return
  started = true
  const channel = 'BroadcastChannel' in window ? new BroadcastChannel('nomikon-events') : null
  let leads = false
  channel?.addEventListener('message', (m: MessageEvent<Sent>) => {
    if (m.data.type !== 'ask') receive(m.data)
    else if (leads) channel.postMessage({ type: 'state', open: connected } satisfies Sent)
  })
  channel?.postMessage({ type: 'ask' } satisfies Sent)
  const lead = () => {
    leads = true
    holdStream((sent) => {
      receive(sent)
      channel?.postMessage(sent)
    })
  }
  if (channel && navigator.locks) {
    // The lock is held for as long as this tab lives; then the next tab takes over.
    void navigator.locks.request('nomikon-events', () => {
      lead()
      return new Promise<never>(() => undefined)
    })
  } else lead()
}

function holdStream(send: (sent: Sent) => void): void {
  let last: string | null = null
  const open = () => {
    const source = new EventSource(`/api/events/${last ? `?after=${last}` : ''}`)
    source.onopen = () => send({ type: 'state', open: true })
    source.onmessage = (m: MessageEvent<string>) => {
      last = m.lastEventId
      send({
        type: 'event',
        event: {
          id: Number(m.lastEventId),
          ...(JSON.parse(m.data) as Omit<LiveEvent, 'id'>),
        } as LiveEvent,
      })
    }
    source.addEventListener('snapshot', (m) => {
      last = (m as MessageEvent<string>).lastEventId
      send({ type: 'snapshot' })
    })
    source.onerror = () => {
      send({ type: 'state', open: false })
      // The browser tries again by itself unless the answer was refused outright.
      if (source.readyState === EventSource.CLOSED) window.setTimeout(open, 2000)
    }
  }
  open()
}

function receive(sent: Sent): void {
  if (sent.type === 'state') {
    connected = sent.open
    watchers.forEach((w) => w(sent.open))
    return
  }
  if (sent.type === 'ask') return
  const event: LiveEvent =
    sent.type === 'event' ? sent.event : { id: 0, topic: '*', kind: 'snapshot' }
  listeners.forEach((l) => l(event))
}
