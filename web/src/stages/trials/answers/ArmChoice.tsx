import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { TextAction } from '@/parts/controls'

type Props = {
  arms: Schemas['ArmOnBoard'][]
  /** None stands for all of them. */
  chosen: number[]
  onChange: (chosen: number[]) => void
}

/** Which arms are looked at: found by their words, ticked one by one. */
export function ArmChoice({ arms, chosen, onChange }: Props) {
  const [words, setWords] = useState('')
  const all = chosen.length === 0
  const listed = arms.filter((a) =>
    `${a.letter} ${a.name} ${a.model} ${a.settings_short}`
      .toLowerCase()
      .includes(words.trim().toLowerCase()),
  )
  const toggle = (id: number) => {
    const now = all ? arms.map((a) => a.id) : chosen
    const next = now.includes(id) ? now.filter((x) => x !== id) : [...now, id]
    onChange(
      next.length === arms.length ? [] : arms.map((a) => a.id).filter((x) => next.includes(x)),
    )
  }
  return (
    <div className="grid gap-1.5">
      {arms.length > 6 && (
        <input
          aria-label="Find an arm"
          placeholder="find an arm"
          className="h-8 rounded-sm border border-rule-strong bg-sheet px-2"
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
      )}
      <p className="flex gap-3 text-xs">
        <TextAction light onClick={() => onChange([])}>
          all
        </TextAction>
        {words && listed.length > 0 && (
          <TextAction light onClick={() => onChange(listed.map((a) => a.id))}>
            these {listed.length}
          </TextAction>
        )}
      </p>
      <div className="grid max-h-72 gap-1 overflow-y-auto">
        {listed.map((a) => (
          <label key={a.id} className="flex items-baseline gap-2">
            <input
              type="checkbox"
              checked={all || chosen.includes(a.id)}
              onChange={() => toggle(a.id)}
            />
            <span className="w-6 shrink-0 font-mono text-xs text-soft">{a.letter}</span>
            <span className="min-w-0 break-words">{a.name}</span>
            <span className="ml-auto shrink-0">
              <TextAction light className="text-xs" onClick={() => onChange([a.id])}>
                only
              </TextAction>
            </span>
          </label>
        ))}
        {listed.length === 0 && <p className="text-soft">No arm is named like that.</p>}
      </div>
    </div>
  )
}
