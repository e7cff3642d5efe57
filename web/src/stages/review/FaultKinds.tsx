import { useState } from 'react'
import type { MarkDraft } from './draft'

type Props = {
  draft: MarkDraft
  kinds: string[]
  /** How often each kind was named in this brief. */
  counts: Record<string, number>
  onChange: (d: MarkDraft) => void
}

/** The kinds of fault known so far, and a field for a new one. */
export function FaultKinds({ draft, kinds, counts, onChange }: Props) {
  const [fault, setFault] = useState('')
  const toggle = (name: string) =>
    onChange({
      ...draft,
      faults: draft.faults.includes(name)
        ? draft.faults.filter((f) => f !== name)
        : [...draft.faults, name],
    })
  return (
    <div>
      <p className="text-xs text-soft">Kinds of fault</p>
      <div className="mt-1 flex flex-wrap gap-1">
        {[...new Set([...kinds, ...draft.faults])].slice(0, 12).map((name, i) => (
          <button
            key={name}
            type="button"
            aria-pressed={draft.faults.includes(name)}
            className="rounded-sm border border-rule-strong bg-sheet px-1.5 py-0.5 text-xs hover:border-ink aria-pressed:border-attention aria-pressed:bg-wash-attention aria-pressed:text-attention-text"
            onClick={() => toggle(name)}
          >
            {i < 9 && <span className="mr-1 font-mono text-2xs text-soft">{i + 1}</span>}
            {name}
            {(counts[name] ?? 0) > 0 && (
              <span className="ml-1 text-2xs text-soft">×{counts[name]}</span>
            )}
          </button>
        ))}
        <form
          onSubmit={(e) => {
            e.preventDefault()
            if (fault.trim()) toggle(fault.trim())
            setFault('')
          }}
        >
          <input
            data-fault
            aria-label="New kind of fault"
            placeholder="new kind"
            maxLength={60}
            className="h-6 w-24 rounded-sm border border-rule-strong bg-sheet px-1.5 text-xs"
            value={fault}
            onChange={(e) => setFault(e.target.value)}
            onKeyDown={leave}
          />
        </form>
      </div>
    </div>
  )
}

/** Out of a field and back to the keys. */
export function leave(e: React.KeyboardEvent<HTMLElement>) {
  if (e.key === 'Escape' || (e.key === 'Enter' && (e.ctrlKey || e.metaKey))) e.currentTarget.blur()
}
