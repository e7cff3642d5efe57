import { useState } from 'react'
import { useNavigate } from 'react-router'
import { createBrief } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { useDesk } from '@/api/desk'
import { useWrite } from '@/api/useWrite'
import { saveVersion } from '@/api/versions'
import { Button, Choice, ErrorLine, Field } from '@/parts/controls'

type Props = {
  name: string
  task: string
  messages: Schemas['MessageShape'][]
  settings: Record<string, unknown>
  origin: 'imported' | 'drafted'
}

/** A text as the first version of a new brief, or as a further version of one there is. */
export function BeginWith({ name, task, messages, settings, origin }: Props) {
  const desk = useDesk()
  const navigate = useNavigate()
  const [brief, setBrief] = useState('')
  const [title, setTitle] = useState(name)
  const { write, pending: busy, problem } = useWrite()
  const begin = () =>
    write(async () => {
      const id = brief ? Number(brief) : (await createBrief({ name: title, job: '', task })).id
      const made = await saveVersion(id, {
        messages,
        settings,
        parent: null,
        second_parent: null,
        note: `from the shelf: ${name}`.slice(0, 300),
        origin,
      })
      void navigate(`/briefs/${id}/draft?v=${made.number}`)
    })
  return (
    <form
      className="grid gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        void begin()
      }}
    >
      <Choice label="For" value={brief} onChange={(e) => setBrief(e.target.value)}>
        <option value="">a new brief</option>
        {(desk.data?.briefs ?? []).map((b) => (
          <option key={b.id} value={b.id}>
            {b.name}, as a further version
          </option>
        ))}
      </Choice>
      {!brief && (
        <Field
          label="Name of the brief"
          maxLength={120}
          value={title}
          onChange={(e) => setTitle(e.target.value)}
        />
      )}
      <p className="text-sm text-soft">
        The text is copied: change it as you like, the one on the shelf stays.
      </p>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <div>
        <Button kind="main" type="submit" disabled={busy}>
          Begin
        </Button>
      </div>
    </form>
  )
}
