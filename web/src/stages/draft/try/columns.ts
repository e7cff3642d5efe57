import type { Schemas } from '@/api/client'
import { toRows, type Settings, type WorkingCopy } from '../workingCopy'
import { variantInWords, type Variant } from './SettingsVariants'
import type { Job } from './useTries'

export type Column = {
  id: string
  model: number
  label: string
  settings: Settings
  messages: Job['messages']
  saved: boolean
}

/** One column for each model and settings; beside each the saved version's, where that is wanted. */
export function columnsOf(
  copy: WorkingCopy,
  chosen: number[],
  models: Schemas['ModelShape'][],
  variants: Variant[],
  parent: Schemas['VersionDetail'] | undefined,
): Column[] {
  const settings: Settings[] = [{}, ...variants.map((v) => v.settings)]
  return chosen.flatMap((model) =>
    settings.flatMap((over, k) => {
      const name = models.find((m) => m.id === model)?.name ?? ''
      const label = variants.length ? `${name}, ${k === 0 ? 'as set' : variantInWords(over)}` : name
      const own = {
        id: `${model}|${JSON.stringify(over)}`,
        model,
        label,
        settings: { ...copy.settings, ...over },
        messages: toRows(copy),
        saved: false,
      }
      return parent
        ? [
            own,
            {
              ...own,
              id: `${own.id}|v${parent.number}`,
              label: `${label}, v${parent.number} as saved`,
              settings: { ...parent.settings, ...over },
              messages: parent.messages,
              saved: true,
            },
          ]
        : [own]
    }),
  )
}
