import { useState } from 'react'
import { TextAction } from '@/parts/controls'
import { count } from '@/parts/numbers'
import { placesOf } from './find'

type Props = { text: string; area: () => HTMLTextAreaElement | null }

/** Words found in a long text: how often they stand there, and one after the other shown. */
export function FindIn({ text, area }: Props) {
  const [words, setWords] = useState('')
  const [at, setAt] = useState(-1)
  const places = placesOf(text, words)
  const show = (place: number, keepFocus: boolean) => {
    const start = places[place]
    const field = area()
    if (start === undefined || !field) return
    setAt(place)
    const former = document.activeElement
    field.focus({ preventScroll: true })
    field.setSelectionRange(start, start + words.trim().length)
    // A field does not scroll to what is chosen in it: about where it stands, a third down.
    field.scrollTop = (start / text.length) * field.scrollHeight - field.clientHeight / 3
    if (keepFocus && former instanceof HTMLElement) former.focus({ preventScroll: true })
  }
  const step = (by: number, keepFocus = false) =>
    show((at + by + places.length) % Math.max(1, places.length), keepFocus)
  return (
    <span className="flex flex-wrap items-baseline gap-2 text-xs text-soft">
      <label className="flex items-baseline gap-2">
        Find in it
        <input
          className="h-6 w-40 rounded-sm border border-rule-strong bg-sheet px-1.5 text-ink"
          value={words}
          onChange={(e) => {
            setWords(e.target.value)
            setAt(-1)
          }}
          onKeyDown={(e) => {
            if (e.key !== 'Enter') return
            e.preventDefault()
            step(e.shiftKey ? -1 : 1, true)
          }}
        />
      </label>
      {words.trim() !== '' && (
        <span role="status">
          {places.length === 0
            ? 'nowhere'
            : at < 0
              ? `${count(places.length)} places`
              : `${count(at + 1)} of ${count(places.length)}`}
        </span>
      )}
      {places.length > 0 && (
        <>
          <TextAction type="button" onClick={() => step(-1)}>
            before
          </TextAction>
          <TextAction type="button" onClick={() => step(1)}>
            next
          </TextAction>
        </>
      )}
    </span>
  )
}
