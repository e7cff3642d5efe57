import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { Body, Schemas } from '@/api/client'
import { fittingLinesQuery } from '@/api/earned'
import { EarnedLine } from '@/parts/EarnedLine'
import { useFrame } from '../../frame'

type Props = {
  messages?: Body<'fitting_lines'>['messages']
  /** What can be done with a line. */
  act: (line: Schemas['EarnedLine']) => ReactNode
}

/** Lines that earned their place in other briefs and fit here; nothing where there are none. */
export function EarnedElsewhere({ messages = [], act }: Props) {
  const { brief } = useFrame()
  const found = useQuery({ ...fittingLinesQuery(brief.id, messages), retry: false })
  if (!found.data || found.data.length === 0) return null
  return (
    <section aria-label="Lines that helped elsewhere">
      <h3 className="text-sm font-semibold">Lines that helped elsewhere</h3>
      <p className="text-xs text-soft">
        Shown to be worth something in another brief; whether they are here shows when they are run.
      </p>
      <ul>
        {found.data.map((line) => (
          <EarnedLine key={`${line.brief} ${line.text}`} line={line}>
            {act(line)}
          </EarnedLine>
        ))}
      </ul>
    </section>
  )
}
