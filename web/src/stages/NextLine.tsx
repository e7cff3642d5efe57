import { useState } from 'react'
import { Link } from 'react-router'
import { useKeys } from '@/keys/useKeys'
import { TextAction } from '@/parts/controls'
import { useFrame } from './frame'

const PLACE = 'nomikon next'

type Props = {
  /** What comes before what the brief's state says: changes that were not run, say. */
  first?: { words: string; act: () => void } | null
}

/** The one thing that leads: what comes next, worked out from the brief's state. It can be hidden. */
export function NextLine({ first }: Props) {
  const { brief } = useFrame()
  const [hidden, setHidden] = useState(isHidden)
  const put = (on: boolean) => {
    setHidden(on)
    try {
      window.localStorage.setItem(PLACE, on ? 'hidden' : 'shown')
    } catch {
      // The browser keeps nothing: it holds for as long as the page does.
    }
  }
  useKeys({ next: () => put(!hidden) })
  const { next } = brief
  if (hidden || (!first && !next)) return null
  return (
    <p
      aria-label="Next"
      role="note"
      className="sticky bottom-0 -mx-4 mt-auto flex items-baseline gap-2 border-t border-rule bg-paper px-4 py-2 text-xs"
    >
      <span className="min-w-0 flex-1">
        <strong>Next:</strong>{' '}
        {first ? (
          <TextAction onClick={first.act}>{first.words}</TextAction>
        ) : (
          next && (
            <Link className="font-semibold text-action underline underline-offset-2" to={next.to}>
              {next.words}
            </Link>
          )
        )}
      </span>
      <button
        type="button"
        className="text-soft hover:text-ink"
        title="it comes back by the palette: What comes next"
        onClick={() => put(true)}
      >
        hide
      </button>
    </p>
  )
}

function isHidden(): boolean {
  try {
    return window.localStorage.getItem(PLACE) === 'hidden'
  } catch {
    return false
  }
}
