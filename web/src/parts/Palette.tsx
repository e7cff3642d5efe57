import { lazy, Suspense } from 'react'
import { Waiting } from './controls'
import { Overlay } from './overlay'

// It comes when it is first opened.
const PaletteBody = lazy(async () => ({ default: (await import('./PaletteBody')).PaletteBody }))

type Props = { open: boolean; onOpenChange: (open: boolean) => void; briefId: number | null }

/** Reaches every brief, version, stage, trial, case and answer by typing, and does what can be done. */
export function Palette({ open, onOpenChange, briefId }: Props) {
  return (
    <Overlay open={open} onOpenChange={onOpenChange} title="Find or do" hideTitle>
      <Suspense fallback={<Waiting what="the list" />}>
        <PaletteBody briefId={briefId} close={() => onOpenChange(false)} />
      </Suspense>
    </Overlay>
  )
}
