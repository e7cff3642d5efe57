import { Button, Field, TextAction } from '@/parts/controls'

export type Dimension = { name: string; values: string }

/** Dimensions as the server takes them; rows that are still empty are left out. */
export function usable(rows: Dimension[]): { name: string; values: string[] }[] {
  return rows
    .filter((d) => d.name.trim() || d.values.trim())
    .map((d) => ({
      name: d.name.trim(),
      values: d.values
        .split(',')
        .map((v) => v.trim())
        .filter(Boolean),
    }))
}

/** What is to be varied: each dimension with the values it takes. */
export function Dimensions({
  value,
  onChange,
}: {
  value: Dimension[]
  onChange: (d: Dimension[]) => void
}) {
  const change = (at: number, part: Partial<Dimension>) =>
    onChange(value.map((d, i) => (i === at ? { ...d, ...part } : d)))
  return (
    <section className="grid gap-2">
      <p className="text-xs text-soft">
        What the cases should differ in. Each case is tagged with its values, so that gaps can be
        seen.
      </p>
      {value.map((d, i) => (
        <div key={i} className="grid grid-cols-[9rem_1fr_auto] items-end gap-2">
          <Field
            label={i === 0 ? 'Dimension' : ''}
            aria-label={`Dimension ${i + 1}`}
            value={d.name}
            onChange={(e) => change(i, { name: e.target.value })}
          />
          <Field
            label={i === 0 ? 'Values, parted by commas' : ''}
            aria-label={`Values of dimension ${i + 1}`}
            value={d.values}
            onChange={(e) => change(i, { values: e.target.value })}
          />
          <Button kind="quiet" onClick={() => onChange(value.filter((_, j) => j !== i))}>
            Remove
          </Button>
        </div>
      ))}
      <div>
        <TextAction
          light
          className="text-sm"
          onClick={() => onChange([...value, { name: '', values: '' }])}
        >
          Add a dimension
        </TextAction>
      </div>
    </section>
  )
}
