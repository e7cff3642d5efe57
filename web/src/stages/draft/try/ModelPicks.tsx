import { useConnections } from '@/api/connections'
import { Simulated } from '@/parts/controls'
import { WayTo } from '@/parts/Lacking'

/** All models that can be called. */
export function useModels() {
  return (useConnections().data ?? []).flatMap((c) => c.models)
}

type Props = { chosen: number[]; most: number; onChange: (ids: number[]) => void }

/** Which models to ask. */
export function ModelPicks({ chosen, most, onChange }: Props) {
  const models = useModels()
  if (models.length === 0)
    return (
      <p className="text-sm text-soft">
        No model is there to try the text on: <WayTo words="add one" to="/models" />.
      </p>
    )
  return (
    <fieldset className="flex max-h-24 flex-wrap gap-x-5 gap-y-1 overflow-y-auto text-sm">
      <legend className="sr-only">Models to try it on</legend>
      {models.map((m) => (
        <label key={m.id} className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={chosen.includes(m.id)}
            disabled={!chosen.includes(m.id) && chosen.length >= most}
            onChange={(e) =>
              onChange(e.target.checked ? [...chosen, m.id] : chosen.filter((id) => id !== m.id))
            }
          />
          {m.name} {m.simulated && <Simulated />}
        </label>
      ))}
    </fieldset>
  )
}
