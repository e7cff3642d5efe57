import type { ComponentProps, RefObject } from 'react'
import { NextLine } from '../NextLine'
import { DraftAside } from './DraftAside'
import { DraftLayers } from './DraftLayers'
import type { View } from './view'

type Props = ComponentProps<typeof DraftLayers> & {
  view: View
  aside: RefObject<HTMLElement | null>
  /** Changes that were not saved come before anything else. */
  first: { words: string; act: () => void } | null
}

/** The margin: of the text its layers, of another view what it is; weights bring one of their own. */
export function DraftMargin({ view, aside, first, ...layers }: Props) {
  return (
    <aside
      ref={aside}
      aria-label="Margin"
      hidden={view === 'Weights'}
      data-region
      tabIndex={-1}
      className="flex flex-col border-l border-rule px-4 pt-4 outline-none"
    >
      <div className="flex-1">
        {view === 'Text' && <DraftLayers {...layers} />}
        {view !== 'Text' && view !== 'Weights' && <DraftAside view={view} />}
      </div>
      <NextLine first={first} />
    </aside>
  )
}
