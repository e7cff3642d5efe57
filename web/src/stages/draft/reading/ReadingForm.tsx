import { useState } from 'react'
import type { Body, Schemas } from '@/api/client'
import { Button, Choice, Field } from '@/parts/controls'

type Fact = Body<'correct_reading'>
type Line = Schemas['ReadLine']
type Props = {
  /** The line that is put right, or null for what was not read at all. */
  line: Line | null
  /** Words of the text that it speaks of. */
  words: string
  busy: boolean
  onSave: (fact: Fact) => void
  onCancel: () => void
}

const PARTS = [
  ['limit', 'a limit'],
  ['output', 'the form of the answer'],
  ['must', 'something that must be'],
  ['must-not', 'something that must not be'],
  ['role', 'the role'],
  ['audience', 'who reads it'],
  ['tone', 'the tone'],
] as const
const UNITS = ['words', 'sentences', 'lines', 'characters', 'paragraphs', 'bullets', 'items']
const PER = ['', 'bullets', 'lines', 'sentences', 'paragraphs', 'items']
const FORMS = ['label', 'json', 'table', 'bullets', 'numbered', 'prose', 'code']

/** What words of the text say, in a person's hand: it stands for them from then on. */
export function ReadingForm({ line, words, busy, onSave, onCancel }: Props) {
  const known = PARTS.some(([p]) => p === line?.part)
  const [part, setPart] = useState<string>(known && line ? line.part : 'limit')
  const [text, setText] = useState(words)
  // A limit begins with what it was read as.
  const read = (line?.check ?? {}) as { min?: number; max?: number; unit?: string }
  const [low, setLow] = useState(String(read.min ?? ''))
  const [high, setHigh] = useState(String(read.max ?? ''))
  const [what, setWhat] = useState(read.unit ?? 'words')
  const [per, setPer] = useState('')
  const [form, setForm] = useState('label')
  const [names, setNames] = useState('')
  const fact = (): Fact => {
    if (part === 'limit')
      return { part, text, value: { what, per, low: numberOf(low), high: numberOf(high) } }
    if (part === 'output') {
      const listed = names
        .split(',')
        .map((n) => n.trim())
        .filter(Boolean)
      return { part, text, value: { form, names: listed } }
    }
    if (part === 'must' || part === 'must-not') return { part: 'rule', text, value: part }
    return { part, text, value: true }
  }
  return (
    <form
      className="mt-1 grid gap-2 text-sm"
      onSubmit={(e) => {
        e.preventDefault()
        onSave(fact())
      }}
    >
      {line === null && (
        <Field
          label="Words of the text, as they stand"
          value={text}
          maxLength={2000}
          onChange={(e) => setText(e.target.value)}
        />
      )}
      <Choice label="They say" value={part} onChange={(e) => setPart(e.target.value)}>
        {PARTS.map(([value, told]) => (
          <option key={value} value={value}>
            {told}
          </option>
        ))}
      </Choice>
      {part === 'limit' && (
        <>
          <div className="grid grid-cols-2 gap-2">
            <Field
              label="At least"
              inputMode="numeric"
              value={low}
              onChange={(e) => setLow(e.target.value)}
            />
            <Field
              label="At most"
              inputMode="numeric"
              value={high}
              onChange={(e) => setHigh(e.target.value)}
            />
          </div>
          <div className="grid gap-2">
            <Choice label="Of" value={what} onChange={(e) => setWhat(e.target.value)}>
              {UNITS.map((u) => (
                <option key={u}>{u}</option>
              ))}
            </Choice>
            <Choice label="For" value={per} onChange={(e) => setPer(e.target.value)}>
              {PER.map((p) => (
                <option key={p} value={p}>
                  {p ? `each of its ${p}` : 'the whole answer'}
                </option>
              ))}
            </Choice>
          </div>
        </>
      )}
      {part === 'output' && (
        <>
          <Choice label="Form" value={form} onChange={(e) => setForm(e.target.value)}>
            {FORMS.map((f) => (
              <option key={f}>{f}</option>
            ))}
          </Choice>
          {['label', 'json', 'table'].includes(form) && (
            <Field
              label={`Its ${form === 'label' ? 'labels' : form === 'json' ? 'keys' : 'columns'}, parted by commas`}
              value={names}
              onChange={(e) => setNames(e.target.value)}
            />
          )}
        </>
      )}
      <span className="flex gap-2">
        <Button small kind="main" type="submit" disabled={busy}>
          So it is
        </Button>
        <Button small type="button" onClick={onCancel}>
          Cancel
        </Button>
      </span>
    </form>
  )
}

/** A number as it was typed; what is none is left for the server to say. */
function numberOf(typed: string): number | string | null {
  if (!typed.trim()) return null
  return /^\d+$/.test(typed.trim()) ? Number(typed) : typed
}
