import { Key } from '@/parts/controls'
import { KEYS, type KeyName } from './registry'

/** A key as it is printed on the keyboard, from the registry: the first of its chords. */
export function KeyCaps({ of: name }: { of: KeyName }) {
  const caps = KEYS[name].chords[0]?.split(' ') ?? []
  return (
    <span className="inline-flex gap-1">
      {caps.map((cap) => (
        <Key key={cap}>{cap}</Key>
      ))}
    </span>
  )
}
