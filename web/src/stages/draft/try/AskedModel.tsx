import { Choice } from '@/parts/controls'
import type { useAsk } from './useAsk'

/** Which model is asked. */
export function AskedModel({
  label,
  asking,
}: {
  label: string
  asking: ReturnType<typeof useAsk>
}) {
  return (
    <Choice
      label={label}
      value={asking.chosen ?? ''}
      onChange={(e) => asking.setModel(Number(e.target.value))}
    >
      {asking.models.map((m) => (
        <option key={m.id} value={m.id}>
          {m.name}
          {m.simulated ? ' (simulated)' : ''}
        </option>
      ))}
    </Choice>
  )
}
