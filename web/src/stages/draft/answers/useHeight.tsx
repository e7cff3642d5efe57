import { useState } from 'react'

export const LEAST = 140
const USUAL = 252
const STEP = 24
const PLACE = 'nomikon answers'

type Kept = { height: number; folded: boolean }

/** How high the region is and whether it is folded, kept on this machine; grip: the edge that is dragged. */
export function useHeight() {
  const [kept, setKept] = useState<Kept>(read)
  const put = (next: Kept) => {
    setKept(next)
    try {
      window.localStorage.setItem(PLACE, JSON.stringify(next))
    } catch {
      // The browser keeps nothing: it holds for as long as the page does.
    }
  }
  const setHeight = (height: number) => put({ folded: false, height: within(height) })
  const grip = (
    // A window splitter is a separator that takes the focus.
    // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
    <div
      role="separator"
      aria-orientation="horizontal"
      aria-label="Height of the answers"
      aria-valuenow={kept.height}
      aria-valuemin={LEAST}
      // eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex
      tabIndex={0}
      className="absolute inset-x-0 -top-1 h-2 cursor-row-resize focus-visible:bg-action"
      onKeyDown={(e) => {
        if (e.key === 'ArrowUp') setHeight(kept.height + STEP)
        else if (e.key === 'ArrowDown') setHeight(kept.height - STEP)
      }}
      onPointerDown={(down) => {
        const edge = down.currentTarget
        edge.setPointerCapture(down.pointerId)
        const from = down.clientY
        const move = (e: PointerEvent) => setHeight(kept.height + from - e.clientY)
        const end = () => {
          edge.removeEventListener('pointermove', move)
          edge.removeEventListener('pointerup', end)
        }
        edge.addEventListener('pointermove', move)
        edge.addEventListener('pointerup', end)
      }}
    />
  )
  return {
    height: kept.height,
    folded: kept.folded,
    fold: (folded: boolean) => put({ ...kept, folded }),
    grip,
  }
}

function within(height: number): number {
  return Math.round(Math.min(Math.max(height, LEAST), window.innerHeight * 0.7))
}

function read(): Kept {
  try {
    const kept = JSON.parse(window.localStorage.getItem(PLACE) ?? 'null') as Partial<Kept> | null
    if (kept && typeof kept.height === 'number')
      return { height: within(kept.height), folded: kept.folded === true }
  } catch {
    // What stands there is no height.
  }
  return { height: USUAL, folded: false }
}
