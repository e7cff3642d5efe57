import { Area, TextAction } from '@/parts/controls'

type Props = {
  forms: string[]
  onChange: (forms: string[]) => void
  onKeyDown?: (e: React.KeyboardEvent) => void
}

/** Further right forms of a reference, each in a field of its own; an empty one is none. */
export function RightForms({ forms, onChange, onKeyDown }: Props) {
  return (
    <div className="grid gap-2">
      {forms.map((form, i) => (
        <Area
          key={i}
          label={`Also right, ${i + 2}`}
          rows={Math.min(8, Math.max(1, form.split('\n').length))}
          className="[&_textarea]:font-mono"
          dir="auto"
          value={form}
          onKeyDown={onKeyDown}
          onChange={(e) => onChange(forms.map((f, j) => (j === i ? e.target.value : f)))}
        />
      ))}
      <TextAction
        light
        type="button"
        className="justify-self-start text-xs"
        onClick={() => onChange([...forms, ''])}
      >
        Another right form
      </TextAction>
    </div>
  )
}
