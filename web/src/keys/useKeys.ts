import { useEffect, useRef } from 'react'
import { useSearchParams } from 'react-router'
import { isKey, KEYS, type Key, type KeyName } from './registry'

/** What a key does; false where it is not meant just now, so that another may take it. */
export type Handler = (press: KeyboardEvent | null) => unknown
type Handlers = Partial<Record<KeyName, Handler | undefined>>
type Held = { current: Handlers }

// Screens that are open, the one opened last first: of two that know a key, it takes the press.
const open: Held[] = []
const NONE: Handlers = {}

/** Lets keys, and the palette, act for as long as the component shows; what they do may change. */
export function useKeys(handlers: Handlers, on = true): void {
  const held = useRef<Handlers>(NONE)
  useEffect(() => {
    held.current = on ? handlers : NONE
  })
  useEffect(() => {
    start()
    open.unshift(held)
    return () => {
      open.splice(open.indexOf(held), 1)
    }
  }, [])
  useAsked(handlers, on)
}

/** The palette came here to do something: it is done once, and the address forgets it. */
function useAsked(handlers: Handlers, on: boolean): void {
  const [search, setSearch] = useSearchParams()
  const wanted = search.get('do') as KeyName | null
  const act = on && wanted ? handlers[wanted] : undefined
  useEffect(() => {
    if (!act) return
    setSearch(
      (now) => {
        now.delete('do')
        return now
      },
      { replace: true },
    )
    act(null)
    // Once for each time it is asked.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [wanted, act !== undefined])
}

/** What the palette can do at once, on the screens that are open. */
export function commandsNow(): Partial<Record<KeyName, Handler>> {
  return Object.assign({}, ...[...open].reverse().map((h) => h.current)) as typeof NONE
}

/** Whether a key press belongs to a text being edited. */
export function isTyping(target: EventTarget | null): boolean {
  return isField(target) || (target instanceof HTMLElement && target.isContentEditable)
}

function isField(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName)
}

let started = false
function start(): void {
  if (started) return
  started = true
  window.addEventListener('keydown', (press) => {
    for (const held of [...open])
      for (const [name, act] of Object.entries(held.current) as [KeyName, Handler | undefined][]) {
        const key: Key = KEYS[name]
        if (!act || !isKey(press, name)) continue
        if (!key.typing && isTyping(press.target)) continue
        if (key.typing === 'editor' && isField(press.target)) continue
        if (act(press) === false) continue
        press.preventDefault()
        return
      }
  })
}
