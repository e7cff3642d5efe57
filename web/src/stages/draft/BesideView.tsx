import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { useFrame } from '../frame'
import { SideBySide } from './beside/SideBySide'
import { TakeSome } from './beside/TakeSome'
import { VersionPicks } from './beside/VersionPicks'
import type { WorkingCopy } from './workingCopy'

const MOST_BESIDE = 3

type Props = { number: number; unsaved: boolean; onTaken: (copy: WorkingCopy) => void }

/** The version in hand beside up to three others: clause by clause, and what of another one to take. */
export function BesideView({ number, unsaved, onTaken }: Props) {
  const { brief, beside } = useFrame()
  const [search, setSearch] = useSearchParams()
  const [taking, setTaking] = useState(false)
  const known = new Set(brief.versions.map((v) => v.number))
  // The first stands in the address as what is beside; further ones after it.
  const more = (search.get('also') ?? '')
    .split(',')
    .map(Number)
    .filter((n) => known.has(n) && n !== number && n !== beside)
  const others = [...(beside === null ? [] : [beside]), ...more].slice(0, MOST_BESIDE)
  const choose = (next: number[]) => {
    setSearch(
      (now) => {
        if (next.length > 0) now.set('beside', String(next[0]))
        else now.delete('beside')
        if (next.length > 1) now.set('also', next.slice(1).join(','))
        else now.delete('also')
        return now
      },
      { replace: true },
    )
  }
  if (brief.versions.length < 2)
    return (
      <p className="py-6 text-sm text-soft">
        There is one version only. A second one can be set beside it.
      </p>
    )
  return (
    <div>
      <VersionPicks number={number} chosen={others} most={MOST_BESIDE} onChange={choose} />
      {others.length > 0 && (
        <SideBySide
          versions={[number, ...others]}
          taking={taking}
          onTaking={setTaking}
          canTake={others.length === 1}
        />
      )}
      {taking && others.length === 1 && others[0] !== undefined && (
        <TakeSome
          key={`${number}-${others[0]}`}
          number={number}
          beside={others[0]}
          unsaved={unsaved}
          onTaken={onTaken}
        />
      )}
    </div>
  )
}
