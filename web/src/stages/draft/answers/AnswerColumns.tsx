import { useEffect, useState } from 'react'
import { Alternatives } from '../try/Alternatives'
import { variantInWords } from '../try/SettingsVariants'
import { AnswerCard } from './AnswerCard'
import type { WayProps } from './regionParts'
import type { Judged, Shown, Tried } from './useAsking'

// From this width on three stand side by side.
const WIDE = 1600

type Props = {
  shown: Shown[]
  /** Without it the answers are only read. */
  onSay?: (key: string, said: Partial<Judged>) => void
  /** With it answers can be fed on. */
  way?: WayProps
  tried?: Tried
}

/** A column for each model and settings; several answers of one are told apart by what differs. */
export function AnswerColumns({ shown, onSay, way, tried }: Props) {
  const most = useMost()
  const columns = new Map<string, Shown[]>()
  for (const s of shown) {
    const id = JSON.stringify([s.model, s.settings, s.of])
    columns.set(id, [...(columns.get(id) ?? []), s])
  }
  const several = new Set([...columns.values()].map((c) => JSON.stringify(c[0]?.settings))).size > 1
  return (
    <div
      className="grid gap-x-6 gap-y-3"
      style={{
        gridTemplateColumns: `repeat(${Math.min(most, Math.max(1, columns.size))}, minmax(0, 1fr))`,
      }}
    >
      {[...columns].map(([id, own]) => {
        const first = own[0]
        if (!first) return null
        const parts = [
          several && variantInWords(first.settings),
          first.of !== null && `v${first.of} as saved`,
        ].filter(Boolean)
        const label = [first.name, ...parts].join(', ')
        return (
          <section key={id} className="min-w-0" aria-label={label}>
            {own.length > 1 && <Alternatives answers={own.map((s) => s.answer)} />}
            {own.map((s) => (
              <AnswerCard
                key={s.key}
                shown={s}
                label={label}
                {...(onSay ? { onSay } : {})}
                feed={way && tried && s.of === null ? { way, tried } : null}
              />
            ))}
          </section>
        )
      })}
    </div>
  )
}

function useMost(): number {
  const [most, setMost] = useState(() => mostOf(window.innerWidth))
  useEffect(() => {
    const look = () => setMost(mostOf(window.innerWidth))
    window.addEventListener('resize', look)
    return () => window.removeEventListener('resize', look)
  }, [])
  return most
}

const mostOf = (width: number) => (width >= WIDE ? 3 : width >= 1000 ? 2 : 1)
