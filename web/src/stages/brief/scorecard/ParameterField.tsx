import { Area, Choice, Field } from '@/parts/controls'
import { useModels } from '@/stages/draft/try/ModelPicks'
import type { Raw, Sort } from './card'
import type { Criterion } from './card'
import { CriteriaEditor } from './CriteriaEditor'

type Props = {
  name: string
  what: string
  sort: Sort
  raw: Raw
  /** What a value looks like; never a value itself. */
  hint: string
  error: string | null
  /** What stands where nothing is given. */
  fallback?: string | undefined
  onChange: (raw: Raw) => void
}

/** The field of one parameter, by the sort of value it takes. */
export function ParameterField({ name, what, sort, raw, hint, error, fallback, onChange }: Props) {
  const models = useModels()
  const label = `${name.replaceAll('_', ' ')}: ${what}`
  const text = typeof raw === 'string' ? raw : ''
  const placeholder = hint ? `for instance ${hint}` : undefined
  switch (sort.sort) {
    case 'flag':
      return (
        <label className="flex items-center gap-2 text-xs text-soft">
          <input
            type="checkbox"
            checked={raw === true}
            onChange={(e) => onChange(e.target.checked)}
          />
          {label}
        </label>
      )
    case 'choice':
      return (
        <Choice
          label={label}
          className="w-64"
          value={text || (sort.options[0] ?? '')}
          onChange={(e) => onChange(e.target.value)}
        >
          {sort.options.map((o) => (
            <option key={o}>{o}</option>
          ))}
        </Choice>
      )
    case 'model':
      return (
        <Choice
          label={label}
          className="w-64"
          value={text}
          onChange={(e) => onChange(e.target.value)}
        >
          <option value="">choose a model</option>
          {[...new Set([...models.map((m) => m.name), text])].filter(Boolean).map((m) => (
            <option key={m}>{m}</option>
          ))}
        </Choice>
      )
    case 'criteria':
      return <CriteriaEditor value={raw as Criterion[]} error={error} onChange={onChange} />
    case 'whole':
    case 'number':
      return (
        <Field
          label={label}
          className="w-64"
          inputMode="decimal"
          placeholder={placeholder}
          value={text}
          error={error}
          onChange={(e) => onChange(e.target.value)}
        />
      )
    case 'texts':
      return (
        <Area
          label={`${label}; one a line`}
          rows={Math.min(6, (text || hint).split('\n').length + 1)}
          placeholder={placeholder}
          value={text}
          error={error ?? null}
          onChange={(e) => onChange(e.target.value)}
        />
      )
    case 'long':
      return (
        <Area
          label={label}
          rows={fallback ? 12 : 3}
          className={
            fallback ? '[&_textarea]:font-serif' : '[&_textarea]:font-mono [&_textarea]:text-xs'
          }
          value={text || (fallback ?? '')}
          error={error ?? null}
          onChange={(e) => onChange(e.target.value === fallback ? '' : e.target.value)}
        />
      )
    case 'json':
      return (
        <Area
          label={`${label}; as JSON`}
          rows={2}
          placeholder={placeholder}
          className="[&_textarea]:font-mono [&_textarea]:text-xs"
          value={text}
          error={error ?? null}
          onChange={(e) => onChange(e.target.value)}
        />
      )
    default:
      return (
        <Field
          label={label}
          placeholder={placeholder}
          value={text}
          className="max-w-96 [&_input]:font-mono"
          error={error}
          onChange={(e) => onChange(e.target.value)}
        />
      )
  }
}
