import { Area, Button, Choice, Field, TextAction } from '@/parts/controls'

type Told = string[] | { user: string; most: number } | null

/** What a case brings to a conversation: nothing, turns as written, or a user whom a model plays. */
export function ConversationForm({
  text,
  onChange,
}: {
  text: string
  onChange: (text: string) => void
}) {
  const told = read(text)
  const kind = told === null ? 'none' : Array.isArray(told) ? 'turns' : 'played'
  const set = (value: Told) => onChange(value === null ? '' : JSON.stringify(value))
  return (
    <section className="grid gap-2 border-l-2 border-rule-strong pl-3">
      <Choice
        label="Conversation"
        className="w-64"
        value={kind}
        onChange={(e) =>
          set(
            e.target.value === 'none'
              ? null
              : e.target.value === 'turns'
                ? ['']
                : { user: '', most: 4 },
          )
        }
      >
        <option value="none">none: one answer to the inputs</option>
        <option value="turns">user turns as written here</option>
        <option value="played">a second model plays the user</option>
      </Choice>
      {Array.isArray(told) && (
        <>
          {told.map((turn, i) => (
            <div key={i} className="flex items-start gap-2">
              <Area
                label={`Turn ${i + 1}`}
                rows={2}
                className="flex-1 [&_textarea]:font-serif [&_textarea]:text-base"
                value={turn}
                onChange={(e) => set(told.map((t, j) => (j === i ? e.target.value : t)))}
              />
              {told.length > 1 && (
                <Button
                  kind="quiet"
                  className="mt-5"
                  onClick={() => set(told.filter((_, j) => j !== i))}
                >
                  Remove
                </Button>
              )}
            </div>
          ))}
          <div>
            <TextAction light onClick={() => set([...told, ''])}>
              Add a turn
            </TextAction>
          </div>
        </>
      )}
      {told !== null && !Array.isArray(told) && (
        <>
          <Area
            label="Who the user is, what they want, how they talk"
            rows={3}
            className="[&_textarea]:font-serif [&_textarea]:text-base"
            value={told.user}
            onChange={(e) => set({ ...told, user: e.target.value })}
          />
          <Field
            label="Turns at most"
            className="w-32"
            inputMode="numeric"
            value={String(told.most)}
            onChange={(e) => set({ ...told, most: Number(e.target.value) || 0 })}
          />
        </>
      )}
    </section>
  )
}

function read(text: string): Told {
  if (!text) return null
  try {
    return JSON.parse(text) as Told
  } catch {
    return [text]
  }
}
