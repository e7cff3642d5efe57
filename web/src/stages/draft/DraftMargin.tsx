import type { ComponentProps, RefObject } from 'react'
import { DraftAside } from './DraftAside'
import { DraftLayers } from './DraftLayers'
import type { View } from './view'

type Props = ComponentProps<typeof DraftLayers> & {
  view: View
  aside: RefObject<HTMLElement | null>
}

/** The margin: of the text its layers, of another view what it is; weights bring one of their own. */
export function DraftMargin({ view, aside, ...layers }: Props) {
  return (
    <aside
      ref={aside}
      aria-label="Margin"
      hidden={view === 'Weights'}
      className="border-l border-rule px-4 py-4"
    >
      {view === 'Clauses' && <DraftLayers {...layers} />}
      {view !== 'Clauses' && view !== 'Weights' && <DraftAside view={view} />}
    </aside>
  )
}
