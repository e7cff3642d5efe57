import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { findVersionsQuery } from '@/api/versions'
import { Chooser } from '@/parts/Chooser'
import { clock, plural, score } from '@/parts/numbers'
import { useFrame } from '../../frame'

type Props = {
  number: number
  chosen: number[]
  most: number
  onChange: (numbers: number[]) => void
}

/** Which versions stand beside the one in hand: found by words, day, setting or tag, ordered by day or score. */
export function VersionPicks({ number, chosen, most, onChange }: Props) {
  const { brief } = useFrame()
  const [words, setWords] = useState('')
  const [byScore, setByScore] = useState(false)
  const found = useQuery({
    ...findVersionsQuery(brief.id, words),
    enabled: words.trim() !== '',
    placeholderData: (former) => former,
  })
  const wanted = words.trim() === '' || !found.data ? null : new Set(found.data)
  const rows = brief.versions
    .filter((v) => v.number !== number && (wanted === null || wanted.has(v.number)))
    .sort((a, b) => (byScore ? (b.score?.mean ?? -1) - (a.score?.mean ?? -1) : b.number - a.number))
  const toggle = (n: number) =>
    onChange(chosen.includes(n) ? chosen.filter((c) => c !== n) : [...chosen, n])
  return (
    <p className="mb-3 text-sm">
      v{number} beside{' '}
      <Chooser
        label="Beside which versions"
        words={chosen.length === 0 ? 'choose a version…' : chosen.map((n) => `v${n}`).join(', ')}
      >
        <div className="grid gap-2">
          <input
            aria-label="Find versions"
            placeholder="words, a day, a setting, a tag"
            className="h-8 w-full rounded-sm border border-rule-strong bg-sheet px-2"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
          <label className="flex items-center gap-2 text-soft">
            <input
              type="checkbox"
              checked={byScore}
              onChange={(e) => setByScore(e.target.checked)}
            />
            the highest score first
          </label>
          <ul aria-label="Versions" className="max-h-72 overflow-y-auto">
            {rows.map((v) => (
              <li key={v.number}>
                <label className="flex items-baseline gap-2 py-0.5">
                  <input
                    type="checkbox"
                    checked={chosen.includes(v.number)}
                    disabled={!chosen.includes(v.number) && chosen.length >= most}
                    onChange={() => toggle(v.number)}
                  />
                  <span className="shrink-0 font-semibold">v{v.number}</span>
                  <span className="min-w-0 flex-1 truncate text-soft" title={v.note}>
                    {[v.note, ...v.tags].filter(Boolean).join(', ')}
                  </span>
                  <span className="shrink-0 font-mono text-xs">
                    {v.score ? score(v.score.mean) : clock(v.created_at)}
                  </span>
                </label>
              </li>
            ))}
          </ul>
          {rows.length === 0 && <p className="text-soft">No version holds these words.</p>}
          <p className="text-xs text-soft">At most {plural(most, 'version')} beside it.</p>
        </div>
      </Chooser>
    </p>
  )
}
