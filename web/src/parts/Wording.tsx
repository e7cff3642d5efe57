import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords } from '@/api/client'
import { instructionsQuery, keepInstruction } from '@/api/consultations'
import { useWrite } from '@/api/useWrite'
import type { Role } from './consult/useConsultation'
import { Area, Button, Choice, ErrorLine, Field } from './controls'

type Props = {
  of: Role
  text: string
  onText: (text: string) => void
  error?: string | null
}

/** What a proposing model is told: read, changed for once, or kept as the next wording for every brief. */
export function Wording({ of: role, text, onText, error }: Props) {
  const cache = useQueryClient()
  const [note, setNote] = useState('')
  const { write, problem } = useWrite()
  const found = useQuery(instructionsQuery(role))
  const rows = found.data ?? []
  const now = rows.find((r) => r.text.trim() === text.trim())
  const keep = () =>
    write(async () => {
      const made = await keepInstruction(role, { text, note })
      cache.setQueryData(instructionsQuery(role).queryKey, made)
      setNote('')
    })
  return (
    <div className="grid gap-2">
      <Area
        label="Instruction, in your own words"
        rows={7}
        className="[&_textarea]:font-serif"
        value={text}
        error={error ?? null}
        onChange={(e) => onText(e.target.value)}
      />
      <div className="flex flex-wrap items-end gap-3">
        <Choice
          label="Wording"
          className="w-64"
          value={now?.number ?? ''}
          onChange={(e) =>
            onText(rows.find((r) => String(r.number) === e.target.value)?.text ?? text)
          }
        >
          {!now && <option value="">as it stands above, for once</option>}
          {rows.map((r) => (
            <option key={r.number} value={r.number}>
              {r.number}
              {r.note && `: ${r.note}`}
            </option>
          ))}
        </Choice>
        {!now && rows.length > 0 && (
          <>
            <Field
              label="What is different"
              className="w-56"
              maxLength={200}
              value={note}
              onChange={(e) => setNote(e.target.value)}
            />
            <Button onClick={() => void keep()}>
              Keep as wording {(rows[0]?.number ?? 0) + 1}
            </Button>
          </>
        )}
      </div>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
    </div>
  )
}
