import { Field } from '@/parts/controls'
import type { Settings } from './workingCopy'

const FIELDS = [
  ['temperature', 'Temperature', '0 to 2'],
  ['top_p', 'Top-p', 'above 0 to 1'],
  ['top_k', 'Top-k', 'from 1'],
  ['max_tokens', 'Output limit, tokens', 'from 1'],
  ['seed', 'Seed', 'from 0'],
] as const

type Props = { settings: Settings; errors: Record<string, string>; onChange: (s: Settings) => void }

/** The sampling parameters that a version is sent with unless a trial says otherwise. */
export function SettingsRow({ settings, errors, onChange }: Props) {
  const set = (name: string, text: string) => {
    const next = { ...settings }
    if (text.trim() === '') delete next[name]
    else next[name] = Number.isNaN(Number(text)) ? text : Number(text)
    onChange(next)
  }
  const stops = Array.isArray(settings.stop) ? (settings.stop as string[]).join(' | ') : ''
  return (
    <div className="grid grid-cols-[repeat(5,minmax(0,7.5rem))_minmax(0,1fr)] gap-3">
      {FIELDS.map(([name, label, range]) => (
        <Field
          key={name}
          label={label}
          inputMode="decimal"
          placeholder={range}
          value={settings[name] === undefined ? '' : String(settings[name])}
          error={errors[name] ?? null}
          onChange={(e) => set(name, e.target.value)}
        />
      ))}
      <Field
        label="Stop at (parted by |)"
        value={stops}
        error={errors.stop ?? null}
        onChange={(e) => {
          const list = e.target.value.split('|').map((s) => s.trim()).filter(Boolean)
          const next = { ...settings }
          if (list.length) next.stop = list
          else delete next.stop
          onChange(next)
        }}
      />
    </div>
  )
}
