import { lazy, Suspense } from 'react'
import type { RegionProps } from './answers/regionParts'

const AnswersRegion = lazy(async () => ({
  default: (await import('./answers/AnswersRegion')).AnswersRegion,
}))

/** The answers come after the text is there. */
export function Region(props: RegionProps) {
  return (
    <Suspense fallback={<div className="mt-auto h-63 border-t-2 border-ink bg-sheet" />}>
      <AnswersRegion {...props} />
    </Suspense>
  )
}
