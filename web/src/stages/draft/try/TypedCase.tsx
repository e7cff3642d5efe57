type Props = {
  names: string[]
  values: Record<string, string>
  onChange: (values: Record<string, string>) => void
}

/** A case typed for this try only; an answer to it can be kept as a case. */
export function TypedCase({ names, values, onChange }: Props) {
  if (names.length === 0)
    return (
      <p className="mb-3 text-sm text-soft">
        The text has no placeholder: there is nothing to fill in.
      </p>
    )
  return (
    <div className="mb-3 grid gap-2">
      {names.map((name) => (
        <label key={name} className="grid gap-1 text-xs text-soft">
          {name}
          <textarea
            rows={2}
            dir="auto"
            className="w-full rounded-sm border border-rule-strong bg-sheet p-1.5 font-serif text-base text-ink"
            value={values[name] ?? ''}
            onChange={(e) => onChange({ ...values, [name]: e.target.value })}
          />
        </label>
      ))}
    </div>
  )
}
