import { useState } from 'react'
import { Button, TextAction } from '@/parts/controls'
import { asText } from '@/parts/text'
import type { Settings } from '../workingCopy'

export type Variant = { id: number; settings: Settings }

const FIELDS = [
  ['temperature', 'temperature'],
  ['top_p', 'top-p'],
  ['top_k', 'top-k'],
  ['max_tokens', 'output limit'],
] as const

export function variantInWords(settings: Settings): string {
  return FIELDS.flatMap(([k, label]) =>
    settings[k] === undefined ? [] : [`${label} ${asText(settings[k])}`],
  ).join(', ')
}

/** Settings to try beside those of the draft; each is laid over them key by key. */
export function SettingsVariants({
  variants,
  onChange,
}: {
  variants: Variant[]
  onChange: (v: Variant[]) => void
}) {
  const [open, setOpen] = useState(false)
  const [fields, setFields] = useState<Record<string, string>>({})
  const typed = Object.fromEntries(
    Object.entries(fields).flatMap(([k, v]) =>
      v.trim() === '' || Number.isNaN(Number(v)) ? [] : [[k, Number(v)]],
    ),
  )
  const amiss = Object.entries(fields).find(([, v]) => v.trim() !== '' && Number.isNaN(Number(v)))
  const ready = Object.keys(typed).length > 0 && !amiss
  return (
    <span className="flex flex-wrap items-center gap-x-3 gap-y-1">
      <span className="text-soft">as set with the text</span>
      {variants.map((v) => (
        <span key={v.id} className="flex items-center gap-1">
          and {variantInWords(v.settings)}
          <button
            type="button"
            className="text-xs text-soft underline underline-offset-2 hover:text-harm"
            aria-label={`Without ${variantInWords(v.settings)}`}
            onClick={() => onChange(variants.filter((o) => o.id !== v.id))}
          >
            without
          </button>
        </span>
      ))}
      {open ? (
        <form
          className="flex flex-wrap items-center gap-2"
          onSubmit={(e) => {
            e.preventDefault()
            if (!ready) return
            onChange([...variants, { id: Date.now(), settings: typed }])
            setFields({})
            setOpen(false)
          }}
        >
          {FIELDS.map(([k, label], i) => (
            <label key={k} className="flex items-center gap-1 text-xs text-soft">
              {label}
              <input
                // eslint-disable-next-line jsx-a11y/no-autofocus -- it was asked for a moment ago
                autoFocus={i === 0}
                inputMode="decimal"
                className="h-6 w-14 rounded-sm border border-rule-strong bg-sheet px-1 text-ink aria-invalid:border-harm"
                aria-invalid={amiss?.[0] === k ? true : undefined}
                value={fields[k] ?? ''}
                onChange={(e) => setFields({ ...fields, [k]: e.target.value })}
              />
            </label>
          ))}
          <Button
            small
            type="submit"
            lacks={[!ready && 'a setting is empty or not a number in its range']}
          >
            Add
          </Button>
        </form>
      ) : (
        variants.length < 5 && <TextAction onClick={() => setOpen(true)}>and also with…</TextAction>
      )}
    </span>
  )
}
